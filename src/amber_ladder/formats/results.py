"""The files a merge leaves: composite, depth and report."""

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import tifffile
from numpy.typing import NDArray

from amber_ladder import __version__
from amber_ladder.formats.exif import Exif, add_exposure, exif_of, picture_tags

_LARGEST_PLAIN = 2**32 - 2**25  # of a plain TIFF, its tags left room
SOFTWARE = f"Amber Ladder {__version__}"


def write_composite(
    path: Path,
    composite: NDArray[Any],
    *,
    colour_profile: bytes | None = None,
    exif: Exif | None = None,
    um_per_px: float | None = None,
) -> None:
    """RGB TIFF (H, W, 3) in 8 or 16 bits, with colour profile, what the camera noted, and pixels per cm if known."""
    noted = exif or Exif()
    tifffile.imwrite(
        path,
        composite,
        photometric="rgb",
        iccprofile=colour_profile,
        software=SOFTWARE,
        metadata=None,
        extratags=picture_tags(noted),
        **_resolution(um_per_px),
    )
    add_exposure(path, noted)


def write_depth(
    path: Path, depth: NDArray[np.float32], *, unit: str, um_per_px: float | None = None, uncertainty: bool = False
) -> None:
    """Float TIFF (H, W); NaN where unknown. Unit and scale stand in the description, the scale as pixels per cm too."""
    what = (
        f"Standard uncertainty of depth, {unit}"
        if uncertainty
        else f"Depth below the nearest kept frame, {unit}, growing away from the camera"
    )
    _write_floats(path, depth, f"{what}; NaN where unknown", um_per_px)


def _write_floats(path: Path, plane: NDArray[np.float32], what: str, um_per_px: float | None) -> None:
    scale = "scale not known" if um_per_px is None else f"{um_per_px:.6g} µm/px"
    tifffile.imwrite(
        path,
        plane.astype(np.float32),
        software=SOFTWARE,
        description=f"{what}; {scale}".encode(),
        metadata=None,
        **_resolution(um_per_px),
    )


def open_composite(path: Path, shape: tuple[int, int, int], kind: Any, um_per_px: float | None) -> np.memmap[Any, Any]:
    """A new RGB TIFF (H, W, 3) that is filled in as it lies on the disk: large pictures never lie in memory whole."""
    return _opened(path, shape, kind, um_per_px, photometric="rgb")


def open_floats(path: Path, shape: tuple[int, int], what: str, um_per_px: float | None) -> np.memmap[Any, Any]:
    """A new float TIFF (H, W) that is filled in as it lies on the disk; NaN where unknown."""
    scale = "scale not known" if um_per_px is None else f"{um_per_px:.6g} µm/px"
    told = f"{what}; NaN where unknown; {scale}".encode()
    return _opened(path, shape, np.float32, um_per_px, photometric="minisblack", description=told)


def _opened(path: Path, shape: tuple[int, ...], kind: Any, um_per_px: float | None, **told: Any) -> np.memmap[Any, Any]:
    size = int(np.prod(shape)) * np.dtype(kind).itemsize
    return tifffile.memmap(
        path, shape=shape, dtype=kind, bigtiff=size > _LARGEST_PLAIN, software=SOFTWARE, metadata=None,
        **told, **_resolution(um_per_px),
    )  # fmt: skip


def read_depth(path: Path) -> NDArray[np.float32]:
    """A depth file (H, W) as it lies on the disk: what is not looked at is not read."""
    return np.asarray(tifffile.memmap(path, mode="r"))


def rescaled_composite(source: Path, target: Path, *, um_per_px: float | None) -> None:
    """A composite once more, with another scale."""
    with tifffile.TiffFile(source) as file:
        profile, exif = file.pages.first.iccprofile, exif_of(source)
        write_composite(target, file.asarray(), colour_profile=profile, exif=exif, um_per_px=um_per_px)


def rescaled_depth(source: Path, target: Path, *, um_per_px: float | None) -> None:
    """A depth map or its uncertainty once more, with another scale of its pixels; what it says else stays."""
    with tifffile.TiffFile(source) as file:
        what = str(file.pages.first.description).rsplit("; ", 1)[0]
    _write_floats(target, read_depth(source), what, um_per_px)


def _resolution(um_per_px: float | None) -> dict[str, Any]:
    if um_per_px is None:
        return {}
    return {"resolution": (1e4 / um_per_px, 1e4 / um_per_px), "resolutionunit": "CENTIMETER"}


_PYRAMID_FROM_PX, _SMALLEST_PX = 50_000_000, 1024
_TILE = (512, 512)
KINDS_OF_CHANGES = (
    "0 untouched, 1 from a frame or another merge, 2 dust, 3 healed (not evidence), 4 ground, 5 tone only"
)


def write_ome(path: Path, composite: NDArray[Any], planes: Mapping[str, NDArray[Any]], um_per_px: float | None) -> None:
    """Composite (H, W, 3) and planes (h, w) by name as one OME-TIFF, with the size of a pixel if known.

    From 50 megapixels on each comes with itself at half the size, a quarter, and so on, as viewers of large pictures
    want it. Planes keep their own values there: every second pixel.
    """
    scale: dict[str, Any] = {}
    if um_per_px is not None:
        scale = {"PhysicalSizeX": um_per_px, "PhysicalSizeY": um_per_px}
        scale |= {"PhysicalSizeXUnit": "µm", "PhysicalSizeYUnit": "µm"}
    with tifffile.TiffWriter(path, ome=True, bigtiff=composite.nbytes * 4 > 2**31) as file:
        for name, picture in {"composite": composite, **planes}.items():
            colour = picture.ndim == 3
            told: dict[str, Any] = {"photometric": "rgb" if colour else "minisblack", "software": SOFTWARE}
            smaller = _halved(picture)
            file.write(picture, subifds=len(smaller), tile=_TILE if smaller else None, **told, **_resolution(um_per_px),
                       metadata={"axes": "YXS" if colour else "YX", "Name": name, **scale})  # fmt: skip
            for level, one in enumerate(smaller, start=1):
                file.write(one, subfiletype=1, metadata=None, tile=_TILE, **told,
                           **_resolution(um_per_px and um_per_px * 2**level))  # fmt: skip


def _halved(picture: NDArray[Any]) -> list[NDArray[Any]]:
    """Smaller copies of a large picture, none of one that is not."""
    smaller: list[NDArray[Any]] = []
    if picture.shape[0] * picture.shape[1] < _PYRAMID_FROM_PX:
        return smaller
    while max(picture.shape[:2]) > _SMALLEST_PX:
        size = ((picture.shape[1] + 1) // 2, (picture.shape[0] + 1) // 2)
        picture = cv2.resize(picture, size, interpolation=cv2.INTER_AREA) if picture.ndim == 3 else picture[::2, ::2]
        smaller.append(np.ascontiguousarray(picture))
    return smaller


def write_json(path: Path, content: dict[str, Any]) -> None:
    """Indented JSON in UTF-8."""
    path.write_text(json.dumps(content, indent=2, ensure_ascii=False) + "\n", encoding="utf-8")


def read_kinds(path: Path) -> NDArray[np.uint8]:
    """What a mend changed (H, W), as ``write_kinds`` writes it."""
    return np.asarray(tifffile.imread(path), np.uint8)


def write_kinds(path: Path, kinds: NDArray[np.uint8]) -> None:
    """What a mend changed, (H, W): 0 untouched, 1 from a frame or merge, 2 dust, 3 healed, 4 ground, 5 tone only."""
    told: dict[str, Any] = {"software": SOFTWARE, "description": KINDS_OF_CHANGES, "metadata": None}
    tifffile.imwrite(path, kinds, photometric="minisblack", compression="zlib", **told)
