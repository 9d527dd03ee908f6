"""Reading frames: JPEG, PNG and TIFF of 8 or 16 bits, checked before they are trusted."""

import re
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from copy import copy
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import simplejpeg
import tifffile
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from amber_ladder.core.frames import to_grey
from amber_ladder.core.sorting import Shot, usual_form, why_unlike
from amber_ladder.errors import BadInput, UnreadablePicture
from amber_ladder.formats.metadata import noted_in

SUFFIXES = {"JPEG": ".jpg", "PNG": ".png", "TIFF": ".tif"}
MOST_PIXELS = 250_000_000
"""Larger than any camera's frame: a header that declares more is damaged or meant to do harm."""

_LARGEST_UNPACKED = 200_000_000
_MOST_UNPACKED = 1500  # times the file's own size: an even black frame comes to a thousand
_MOST_SCANS = 100  # of a JPEG; a progressive one has about ten, and each takes a walk over the whole picture
_LARGEST_EXTRA = 8_000_000  # bytes of what a PNG carries beside its pixels
_JPEG = {".jpg", ".jpeg"}
PICTURE_NAMES = {*_JPEG, ".png", ".tif", ".tiff"}
"""Endings of files that are taken for pictures."""
RAW_NAMES = {
    ".3fr", ".arw", ".cr2", ".cr3", ".dng", ".erf", ".iiq", ".kdc", ".mef", ".mos", ".mrw", ".nef", ".nrw", ".orf",
    ".pef", ".raf", ".rw2", ".rwl", ".srw", ".x3f",
}  # fmt: skip
"""Endings of files that are taken for camera raw."""
_RAW_BEGINS = (b"II", b"MM", b"FUJIFILM", b"FOVb", b"\0MRM")
_UPRIGHT = cv2.IMREAD_IGNORE_ORIENTATION
# Orientation flags are ignored throughout: a camera that looks straight down sets them at random, and frames of
# one stack must lie alike.


@dataclass(frozen=True, slots=True)
class PictureInfo:
    """What a picture file says of itself. ``format`` is JPEG, PNG or TIFF; the time is the camera's own

    clock, with its zone where the camera noted that, ``None`` if unknown.
    """

    format: str
    width_px: int
    height_px: int
    bits: int
    captured_at: datetime | None


def kept_suffix(name: str, begins: bytes) -> str | None:
    """The ending under which a file is kept, by how it begins; raw by its name as well. None for what is no picture."""
    own = Path(name).suffix.lower()
    if own in RAW_NAMES:
        return own if begins.startswith(_RAW_BEGINS) or begins[4:8] == b"ftyp" else None
    kinds = {
        b"\xff\xd8": "JPEG",
        b"\x89PNG": "PNG",
        b"II*\0": "TIFF",
        b"MM\0*": "TIFF",
        b"II+\0": "TIFF",
        b"MM\0+": "TIFF",
    }
    found = next((kind for start, kind in kinds.items() if begins.startswith(start)), None)
    return SUFFIXES[found] if found else None


def examine(path: Path, name: str | None = None, *, pixels: bool = True) -> PictureInfo:
    """Read a whole picture once to be sure of it. Raises UnreadablePicture with the reason.

    Without ``pixels`` those of a JPEG or TIFF are left to who reads them next, and finds what is damaged then.
    """
    name = name or path.name
    if path.stat().st_size == 0:
        raise UnreadablePicture(name, "the file is empty")
    try:
        with path.open("rb") as file:
            start = file.read(4)
        if start[:2] in (b"II", b"MM"):
            return _examine_tiff(path, name, pixels)
        return _examine_other(path, name, pixels)
    except (UnreadablePicture, MemoryError):
        raise
    except Image.DecompressionBombError as error:
        raise UnreadablePicture(name, "declares absurd dimensions") from error
    except UnidentifiedImageError as error:
        raise UnreadablePicture(name, "is no JPEG, PNG or TIFF picture") from error
    except Exception as error:  # decoders raise whatever a damaged file leads them to
        raise UnreadablePicture(name, f"is damaged or cut short ({_short(error)})") from error


def _examine_other(path: Path, name: str, pixels: bool) -> PictureInfo:
    _check_parts(path, name)
    with Image.open(path, formats=("JPEG", "PNG")) as picture:
        kind = str(picture.format)
        _check_size(name, picture.width, picture.height)
        _check_unpacked(path, name, picture.width * picture.height * len(picture.getbands()))
        bits = 8
        if kind == "PNG":
            with path.open("rb") as file:
                bits = file.read(25)[24]  # the depth in the header; Pillow opens 16-bit colour as 8
        captured_at = noted_in(path).captured_at
        if pixels or kind != "JPEG":
            picture.load()
        return PictureInfo(kind, picture.width, picture.height, 16 if bits == 16 else 8, captured_at)


def _examine_tiff(path: Path, name: str, pixels: bool) -> PictureInfo:
    with tifffile.TiffFile(path) as file:
        page = file.pages.first
        _check_size(name, page.imagewidth, page.imagelength)
        # All of this before anything is decoded: the header of a small file can ask for gigabytes.
        if page.dtype not in (np.uint8, np.uint16):
            raise UnreadablePicture(name, f"has {page.dtype} pixels: only 8 and 16 bits can be merged")
        if page.samplesperpixel not in (1, 3, 4) or page.imagedepth != 1:
            raise UnreadablePicture(name, "is neither grey nor RGB")
        _check_unpacked(path, name, page.imagewidth * page.imagelength * page.samplesperpixel * page.dtype.itemsize)
        _check_one_picture(file, name)
        if len(page.shape) not in (2, 3) or (len(page.shape) == 3 and page.shape[2] not in (3, 4)):
            raise UnreadablePicture(name, "is neither grey nor RGB")
        if pixels:
            page.asarray()
        bits = page.dtype.itemsize * 8
        return PictureInfo("TIFF", page.imagewidth, page.imagelength, bits, noted_in(path).captured_at)


def _check_one_picture(file: tifffile.TiffFile, name: str) -> None:
    try:
        second = file.pages[1]
    except IndexError:
        return
    if not (isinstance(second, tifffile.TiffPage) and second.is_reduced):  # a thumbnail is welcome
        raise UnreadablePicture(name, "holds more than one picture: save each as a file of its own")


def _check_unpacked(path: Path, name: str, unpacked: int) -> None:
    size = path.stat().st_size
    if unpacked > _LARGEST_UNPACKED and unpacked > _MOST_UNPACKED * size:
        raise UnreadablePicture(
            name, f"would unpack from {size / 1e3:.0f} kB to {unpacked / 1e9:.1f} GB: no frame does"
        )


def _check_parts(path: Path, name: str) -> None:
    """How many walks a JPEG asks for, and how much a PNG carries beside its pixels: told by the bytes alone."""
    content = path.read_bytes()
    if content[:2] == b"\xff\xd8":
        _check_scans(content, name)
        return
    at = 8
    while content[:8] == b"\x89PNG\r\n\x1a\n" and at + 8 <= len(content):
        length, kind = int.from_bytes(content[at : at + 4], "big"), content[at + 4 : at + 8]
        if kind != b"IDAT" and length > _LARGEST_EXTRA:
            raise UnreadablePicture(name, f"carries {length / 1e6:.0f} MB beside its pixels: save it without")
        at += 12 + length


def _check_scans(content: bytes, name: str) -> None:
    # Within the pixels an FF is followed by 00: this pair is a marker, or lies in a thumbnail.
    values = np.frombuffer(content, np.uint8)
    if np.count_nonzero((values[:-1] == 0xFF) & (values[1:] == 0xDA)) > _MOST_SCANS:
        raise UnreadablePicture(name, "is written in hundreds of layers: no camera does that")


def _check_size(name: str, width: int, height: int) -> None:
    if width * height > MOST_PIXELS or max(width, height) > 65_000:
        raise UnreadablePicture(name, f"declares absurd dimensions ({width} × {height} px)")
    if min(width, height) < 64:
        raise UnreadablePicture(name, f"is too small to merge ({width} × {height} px, 64 needed)")


def _short(error: Exception) -> str:
    return (str(error).splitlines() or [type(error).__name__])[0][:80]


def read_picture(path: Path) -> NDArray[Any]:
    """RGB (H, W, 3) in 8 or 16 bits, as stored; grey becomes three equal channels, cover is dropped."""
    if path.suffix.lower() in (".tif", ".tiff"):
        pixels = tifffile.imread(path, key=0)
        if pixels.ndim == 2:
            pixels = np.repeat(pixels[..., None], 3, axis=2)
        return np.ascontiguousarray(pixels[..., :3])
    if path.suffix.lower() in _JPEG:
        return _read_jpeg(path, "RGB", 1)
    return _decoded(path, cv2.IMREAD_COLOR_RGB | cv2.IMREAD_ANYDEPTH)


def read_grey(path: Path, factor: int) -> NDArray[np.float32]:
    """Grey 0 to 1, ``factor`` (1, 2, 4 or 8) times smaller: a JPEG is shrunk while it is decoded, which costs less."""
    if path.suffix.lower() in _JPEG:
        return np.multiply(_read_jpeg(path, "GRAY", factor), np.float32(1 / 255), dtype=np.float32)
    return to_grey(read_picture(path), factor)


@dataclass(frozen=True, slots=True)
class Shrunk:
    """A picture as it is looked at, RGB (H, W, 3) of 8 bits, ``factor`` times smaller than its file says it is."""

    rgb: NDArray[np.uint8]
    factor: int
    width_px: int
    height_px: int
    bits: int


def read_shrunk(path: Path, shrunk_by: Callable[[int, int], int]) -> Shrunk:
    """Read a file once, as small as ``shrunk_by`` (its width and height) asks for: for files by the thousand.

    What is wrong with it shows while it is read. Raises UnreadablePicture.
    """
    try:
        content = path.read_bytes()
        if content[:2] == b"\xff\xd8":
            return _shrunk_jpeg(path, content, shrunk_by)
    except OSError as error:
        raise UnreadablePicture(path.name, f"cannot be read ({error.strerror})") from error
    info = examine(path, pixels=False)
    factor = shrunk_by(info.width_px, info.height_px)
    try:
        picture = read_picture(path)
    except Exception as error:  # decoders raise whatever a damaged file leads them to
        raise UnreadablePicture(path.name, f"is damaged or cut short ({_short(error)})") from error
    if picture.dtype == np.uint16:
        picture = (picture >> 8).astype(np.uint8)
    if factor > 1:
        size = (-(-picture.shape[1] // factor), -(-picture.shape[0] // factor))
        picture = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
    return Shrunk(np.asarray(picture, np.uint8), factor, info.width_px, info.height_px, info.bits)


def _shrunk_jpeg(path: Path, content: bytes, shrunk_by: Callable[[int, int], int]) -> Shrunk:
    _check_scans(content, path.name)
    try:
        height, width, _, _ = simplejpeg.decode_jpeg_header(content)
        _check_size(path.name, width, height)
        factor = shrunk_by(width, height)
        least = {"min_height": -(-height // factor), "min_width": -(-width // factor)} if factor > 1 else {}
        # The quick ways round off by a grey value here and there: nothing is made from this picture.
        rgb = simplejpeg.decode_jpeg(content, "RGB", fastdct=True, fastupsample=True, **least)
    except ValueError as error:
        examine(path)  # says what is wrong with it, or lets pass what only the fast decoder does not know
        raise UnreadablePicture(path.name, f"is damaged or cut short ({_short(error)})") from error
    return Shrunk(np.asarray(rgb, np.uint8), factor, width, height, 8)


def _read_jpeg(path: Path, colours: str, factor: int) -> NDArray[np.uint8]:
    content = path.read_bytes()
    try:
        height, width, _, _ = simplejpeg.decode_jpeg_header(content)
        least = {"min_height": -(-height // factor), "min_width": -(-width // factor)} if factor > 1 else {}
        found = simplejpeg.decode_jpeg(content, colours, **least)
        return np.asarray(found if colours == "RGB" else found[..., 0], np.uint8)
    except ValueError:  # damaged, or of a kind that this fast decoder does not know
        examine(path)
    shrinking = {1: cv2.IMREAD_GRAYSCALE, 2: cv2.IMREAD_REDUCED_GRAYSCALE_2, 4: cv2.IMREAD_REDUCED_GRAYSCALE_4,
                 8: cv2.IMREAD_REDUCED_GRAYSCALE_8}  # fmt: skip
    return np.asarray(_decoded(path, cv2.IMREAD_COLOR_RGB if colours == "RGB" else shrinking[factor]), np.uint8)


def _decoded(path: Path, flags: int) -> NDArray[Any]:
    picture = cv2.imdecode(np.fromfile(path, np.uint8), flags | _UPRIGHT)
    if picture is None:
        raise UnreadablePicture(path.name, "can no longer be read: was it changed on the disk?")
    return np.asarray(picture)


def colour_profile(path: Path) -> bytes | None:
    """The ICC profile inside a picture, if any."""
    if path.suffix.lower() in (".tif", ".tiff"):
        with tifffile.TiffFile(path) as file:
            tag = file.pages.first.tags.get("InterColorProfile")
            return bytes(tag.value) if tag else None
    with Image.open(path) as picture:
        profile = picture.info.get("icc_profile")
        return profile if isinstance(profile, bytes) else None


class StoredFrames:
    """Frames on the disk, as the merge wants them (see :class:`amber_ladder.core.frames.FrameSource`)."""

    def __init__(self, paths: Sequence[Path], names: Sequence[str], info: PictureInfo) -> None:
        self._paths = tuple(paths)
        self.names = tuple(names)
        self.shape = (info.height_px, info.width_px)
        self.dtype = np.dtype(np.uint16 if info.bits == 16 else np.uint8)

    def part(self, places: Sequence[int]) -> "StoredFrames":
        """These frames alone, in this order."""
        part = copy(self)
        part._paths = tuple(self._paths[place] for place in places)
        part.names = tuple(self.names[place] for place in places)
        return part

    def path(self, index: int) -> Path:
        """Where a frame lies."""
        return self._paths[index]

    def picture(self, index: int) -> NDArray[Any]:
        """RGB (H, W, 3)."""
        return read_picture(self._paths[index])

    def grey(self, index: int, factor: int) -> NDArray[np.float32]:
        """Grey 0 to 1, ``factor`` times smaller."""
        return read_grey(self._paths[index], factor)


@dataclass(frozen=True, slots=True)
class LeftOut:
    """A file that takes no part, and why."""

    name: str
    reason: str


def frames_in(folder: Path) -> tuple[StoredFrames, list[LeftOut]]:
    """All usable frames of a folder in the order of their names (numbers counted), and what was left out.

    Raises:
        BadInput: no such folder, or fewer than two usable frames.
    """
    if not folder.is_dir():
        raise BadInput(f"{folder} is not a folder: name one that holds the frames", field="folder")
    paths = {
        path.name: path
        for path in sorted(folder.iterdir(), key=lambda p: natural_key(p.name))
        if path.is_file() and path.suffix.lower() in PICTURE_NAMES
    }
    infos: dict[str, PictureInfo] = {}
    left_out: list[LeftOut] = []
    with ThreadPoolExecutor(max_workers=2) as pool:
        for name, examined in zip(paths, pool.map(_examined, paths.values()), strict=True):
            if isinstance(examined, UnreadablePicture):
                left_out.append(LeftOut(name, examined.reason))
            else:
                infos[name] = examined
    shots = [Shot(name, info.width_px, info.height_px, info.bits) for name, info in infos.items()]
    usual = usual_form(shots)
    strange = {shot.name: reason for shot in shots if (reason := why_unlike(shot, usual))}
    left_out += [LeftOut(name, reason) for name, reason in strange.items()]
    names = [name for name in infos if name not in strange]
    if len(names) < 2:
        raise BadInput(too_few(str(folder), len(names), left_out), field="folder")
    return StoredFrames([paths[name] for name in names], names, infos[names[0]]), left_out


def _examined(path: Path) -> PictureInfo | UnreadablePicture:
    try:
        return examine(path, pixels=False)
    except UnreadablePicture as error:
        return error


def too_few(place: str, usable: int, left_out: Sequence[LeftOut]) -> str:
    """The sentence for a stack that cannot be merged."""
    why = "; ".join(f"{one.name} {one.reason}" for one in left_out[:3])
    return (
        f"{place} holds {usable} usable frame{'' if usable == 1 else 's'}, at least 2 are needed: nothing was written"
        + (f" (left out: {why})" if why else "")
    )


def natural_key(name: str) -> tuple[tuple[int, int, str], ...]:
    """Sorts IMG_9 before IMG_10."""
    parts = re.findall(r"\d+|\D+", name.lower())
    return tuple((0, int(part), "") if part.isdecimal() else (1, 0, part) for part in parts)
