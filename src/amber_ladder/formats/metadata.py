"""What a camera noted of a frame: when, with which exposure, through what. Read by Pillow's own EXIF reader."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta, timezone
from io import BytesIO
from pathlib import Path
from typing import Any

from PIL import ExifTags, Image

_HEAD_BYTES = 80_000
"""A JPEG's notes lie in the first or second of its segments, each of 64 kB at most."""
_LONGEST_TEXT = 80


@dataclass(frozen=True, slots=True)
class Noted:
    """What stands in a file; None for what does not. The time is the camera's own, with its zone where it noted one.

    ``orientation`` is the flag of EXIF, 1 to 8.
    """

    captured_at: datetime | None = None
    exposure_s: float | None = None
    f_number: float | None = None
    iso: int | None = None
    body: str | None = None
    lens: str | None = None
    focal_mm: float | None = None
    focus_m: float | None = None
    orientation: int | None = None

    @property
    def exposure(self) -> tuple[float, float, int] | None:
        """Exposure, aperture and sensitivity, where a camera noted an exposure at all; 0 for what it did not."""
        if self.exposure_s is None:
            return None
        return self.exposure_s, self.f_number or 0.0, self.iso or 0


def noted_in(path: Path) -> Noted:
    """What the camera noted; nothing where there is nothing, or it is damaged."""
    try:
        with path.open("rb") as file:
            head = file.read(_HEAD_BYTES)
            if head[:2] == b"\xff\xd8":
                return _noted(_jpeg_exif(head))
            if head[:2] in (b"II", b"MM"):
                file.seek(0)
                exif = Image.Exif()
                exif.load_from_fp(file)
                return _noted(exif)
            with Image.open(BytesIO(head) if len(head) < _HEAD_BYTES else path) as picture:
                return _noted(picture.getexif())
    except Exception:  # readers raise whatever damage leads them to; a picture is whole without
        return Noted()


def _jpeg_exif(head: bytes) -> Image.Exif:
    """The notes of a JPEG without opening it as a picture, which takes ten times as long."""
    exif, at = Image.Exif(), 2
    while at + 4 <= len(head) and head[at] == 0xFF and head[at + 1] != 0xDA:
        length = int.from_bytes(head[at + 2 : at + 4], "big")
        if head[at + 1] == 0xE1 and head[at + 4 : at + 10] == b"Exif\0\0":
            exif.load(head[at + 4 : at + 2 + length])
            break
        at += 2 + length
    return exif


def _noted(exif: Image.Exif) -> Noted:
    details = exif.get_ifd(ExifTags.IFD.Exif)
    iso = details.get(ExifTags.Base.ISOSpeedRatings)
    flag = exif.get(ExifTags.Base.Orientation)
    return Noted(
        captured_at=_time(exif, details),
        exposure_s=_positive(details.get(ExifTags.Base.ExposureTime)),
        f_number=_positive(details.get(ExifTags.Base.FNumber)),
        iso=_whole(iso[0] if isinstance(iso, tuple) and iso else iso),
        body=_text(exif.get(ExifTags.Base.Model)),
        lens=_text(details.get(ExifTags.Base.LensModel)),
        focal_mm=_positive(details.get(ExifTags.Base.FocalLength)),
        focus_m=_positive(details.get(ExifTags.Base.SubjectDistance)),
        orientation=flag if isinstance(flag, int) and 1 <= flag <= 8 else None,
    )


def _time(exif: Image.Exif, details: Mapping[int, Any]) -> datetime | None:
    stamp = details.get(ExifTags.Base.DateTimeOriginal) or exif.get(ExifTags.Base.DateTime)
    if not stamp:
        return None
    fraction = details.get(ExifTags.Base.SubsecTimeOriginal, "")
    return parsed_time(str(stamp), str(fraction), str(details.get(ExifTags.Base.OffsetTimeOriginal, "")))


def parsed_time(stamp: str, fraction: str = "", offset: str = "") -> datetime | None:
    """A time as EXIF and TIFF write it (2026:03:14 09:30:00), with a fraction of digits and an offset (+01:00)."""
    try:
        time = datetime.strptime(stamp.strip("\0 "), "%Y:%m:%d %H:%M:%S")
    except ValueError:
        return None
    digits = re.sub(r"\D", "", fraction)
    if digits:
        time = time.replace(microsecond=int(digits[:6].ljust(6, "0")))
    zone = re.fullmatch(r"([+-])(\d\d):?(\d\d)", offset.strip("\0 "))
    if zone:
        minutes = int(zone[2]) * 60 + int(zone[3])
        if minutes < 24 * 60:
            time = time.replace(tzinfo=timezone(timedelta(minutes=minutes if zone[1] == "+" else -minutes)))
    return time


def _positive(value: Any) -> float | None:
    try:
        number = float(value)
    except (TypeError, ValueError, ZeroDivisionError):
        return None
    return number if 0.0 < number < 1e9 else None  # not a number fails both


def _whole(value: Any) -> int | None:
    return value if isinstance(value, int) and value > 0 else None


def _text(value: Any) -> str | None:
    if not isinstance(value, str):
        return None
    shown = "".join(one for one in value if one.isprintable()).strip()
    return shown[:_LONGEST_TEXT] or None
