"""The simulated camera's files: JPEG with the time of exposure in its metadata."""

from dataclasses import dataclass
from datetime import datetime
from io import BytesIO

import numpy as np
from numpy.typing import NDArray
from PIL import ExifTags, Image

QUALITY = 93


@dataclass(frozen=True, slots=True)
class Exposed:
    """What the camera notes beside the time: exposure in seconds, f-number, sensitivity; where its lens is focused."""

    exposure_s: float
    f_number: float
    iso: int
    focus_m: float | None = None


def encode_jpeg(
    picture: NDArray[np.uint8],
    *,
    captured_at: datetime | None,
    exposed: Exposed | None = None,
    whole_seconds: bool = False,
    quality: int = QUALITY,
) -> bytes:
    """Encode RGB (H, W, 3) of 8 bits; the time goes into the metadata to the millisecond, or in ``whole_seconds``.

    Without a time nothing is noted at all.
    """
    file = BytesIO()
    exif = Image.Exif()
    if captured_at:
        exif[ExifTags.Base.Make] = "Tarn Hollow"
        exif[ExifTags.Base.Model] = "Simulated bench"
        details = exif.get_ifd(ExifTags.IFD.Exif)
        details[ExifTags.Base.DateTimeOriginal] = captured_at.strftime("%Y:%m:%d %H:%M:%S")
        if not whole_seconds:
            details[ExifTags.Base.SubsecTimeOriginal] = f"{captured_at.microsecond // 1000:03d}"
        if exposed:
            details[ExifTags.Base.ExposureTime] = exposed.exposure_s
            details[ExifTags.Base.FNumber] = exposed.f_number
            details[ExifTags.Base.ISOSpeedRatings] = exposed.iso
            if exposed.focus_m is not None:
                details[ExifTags.Base.SubjectDistance] = exposed.focus_m
    Image.fromarray(picture).save(file, "JPEG", quality=quality, subsampling=0, exif=exif)
    return file.getvalue()
