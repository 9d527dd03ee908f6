"""The simulated camera's files: JPEG with the time of exposure in its metadata."""

from datetime import datetime
from io import BytesIO

import numpy as np
from numpy.typing import NDArray
from PIL import ExifTags, Image

QUALITY = 93


def encode_jpeg(picture: NDArray[np.uint8], *, captured_at: datetime) -> bytes:
    """Encode RGB (H, W, 3) of 8 bits; the time goes into the metadata to the millisecond."""
    exif = Image.Exif()
    exif[ExifTags.Base.Make] = "Tarn Hollow"
    exif[ExifTags.Base.Model] = "Simulated bench"
    details = exif.get_ifd(ExifTags.IFD.Exif)
    details[ExifTags.Base.DateTimeOriginal] = captured_at.strftime("%Y:%m:%d %H:%M:%S")
    details[ExifTags.Base.SubsecTimeOriginal] = f"{captured_at.microsecond // 1000:03d}"
    file = BytesIO()
    Image.fromarray(picture).save(file, "JPEG", quality=QUALITY, subsampling=0, exif=exif)
    return file.getvalue()
