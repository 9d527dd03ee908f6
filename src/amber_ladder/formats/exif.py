"""What a camera notes of a frame (EXIF): read from originals, and carried into the TIFF that is merged from them."""

import struct
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from PIL import ExifTags, Image, TiffImagePlugin, TiffTags

_OF_THE_PICTURE = (
    ExifTags.Base.Make,
    ExifTags.Base.Model,
    ExifTags.Base.DateTime,
    ExifTags.Base.Artist,
    ExifTags.Base.Copyright,
)
_NOT_CARRIED = (
    ExifTags.Base.MakerNote,  # its inner addresses hold in the camera's own file only
    ExifTags.Base.ExifInteroperabilityOffset,
)
_MOST_BYTES = 60_000  # as in a JPEG: more is no camera's note


@dataclass(frozen=True, slots=True)
class Exif:
    """Tags by number: those that stand with the picture, and those of the exposure.

    Where the picture was taken is not among them: the place of a protected species is told by those who may.
    """

    picture: Mapping[int, Any] = field(default_factory=dict)
    exposure: Mapping[int, Any] = field(default_factory=dict)


def exif_of(path: Path) -> Exif:
    """What the camera noted; nothing where there is none, or it is damaged."""
    try:
        with path.open("rb") as file:
            if file.read(2) not in (b"II", b"MM"):
                with Image.open(path) as picture:
                    return _chosen(picture.getexif())
            file.seek(0)
            exif = Image.Exif()
            exif.load_from_fp(file)
            return _chosen(exif)
    except Exception:  # decoders raise whatever damage leads them to; a picture is whole without
        return Exif()


def _chosen(exif: Image.Exif) -> Exif:
    exposure = {tag: one for tag, one in exif.get_ifd(ExifTags.IFD.Exif).items() if tag not in _NOT_CARRIED}
    chosen = Exif({tag: exif[tag] for tag in _OF_THE_PICTURE if tag in exif}, exposure)
    return chosen if len(_directory(chosen.exposure, 0)) <= _MOST_BYTES else Exif(chosen.picture)


def picture_tags(exif: Exif) -> list[tuple[int, str, int, Any, bool]]:
    """The tags that stand with the picture, as tifffile writes them along with it."""
    kinds = {str: ("s", 0), int: ("H", 1)}
    told = ((tag, value, kinds[type(value)]) for tag, value in exif.picture.items() if type(value) in kinds)
    return [(tag, kind, count, value, True) for tag, value, (kind, count) in told]


def add_exposure(path: Path, exif: Exif) -> None:
    """Append the exposure's tags to a TIFF of one picture (little-endian, below 4 GB), which tifffile does not write.

    Its first directory is written once more at the end, with an entry for them (TIFF 6.0: entries of 12 bytes).
    """
    if not exif.exposure:
        return
    with path.open("r+b") as file:
        file.seek(4)
        (first,) = struct.unpack("<I", file.read(4))
        file.seek(first)
        (count,) = struct.unpack("<H", file.read(2))
        entries = [file.read(12) for _ in range(count)]
        at = file.seek(0, 2)
        at += file.write(b"\0" * (at % 2))  # directories begin at even addresses
        exposure = _directory(exif.exposure, at)
        exposure += b"\0" * (len(exposure) % 2)
        entries.append(struct.pack("<HHII", ExifTags.IFD.Exif, TiffTags.LONG, 1, at))
        entries.sort(key=lambda entry: struct.unpack("<H10x", entry))
        file.write(exposure + struct.pack("<H", len(entries)) + b"".join(entries) + struct.pack("<I", 0))
        file.seek(4)
        file.write(struct.pack("<I", at + len(exposure)))


def _directory(tags: Mapping[int, Any], at: int) -> bytes:
    directory = TiffImagePlugin.ImageFileDirectory_v2(b"II*\0\0\0\0\0", group=ExifTags.IFD.Exif)
    for tag, value in tags.items():
        directory[tag] = value
        if isinstance(value, bytes):
            directory.tagtype[tag] = TiffTags.UNDEFINED
    return directory.tobytes(at)
