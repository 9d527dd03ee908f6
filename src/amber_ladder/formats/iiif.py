"""Pictures for a web site: tiles and a manifest that any server of plain files can give out."""

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import pyvips
from numpy.typing import NDArray

from amber_ladder.formats.exports import eight_bits
from amber_ladder.formats.profiles import UNREADABLE, name_of
from amber_ladder.formats.results import write_json

_TILE_PX = 512


def write_iiif(
    folder: Path,
    picture: NDArray[Any],
    *,
    name: str,
    um_per_px: float | None,
    base: str,
    colour_profile: bytes | None = None,
    told: Mapping[str, str] | None = None,
    credit: str = "",
    licence: str = "",
) -> None:
    """RGB (H, W, 3; 8, 16 bits) as an image of level 0 (IIIF Image 3.0) with a manifest (Presentation 3.0) in a folder.

    ``base`` is the address at which the folder will be given out. Colours of a ``colour_profile`` become sRGB's.
    ``told`` is what is known of the picture, by what that is called, and ``credit`` what must be shown with it. Empty
    values are left away.
    """
    height, width = picture.shape[:2]
    image = _in_srgb(picture, colour_profile)
    image.dzsave(str(folder / "image"), layout="iiif3", id=base, tile_size=_TILE_PX, suffix=".jpg[Q=90]")
    whole = folder / "image" / "full" / "max" / "0"
    whole.mkdir(parents=True, exist_ok=True)
    image.jpegsave(str(whole / "default.jpg"), Q=90)
    (folder / "image" / "vips-properties.xml").unlink(missing_ok=True)
    service = {"id": f"{base}/image", "type": "ImageService3", "profile": "level0"}
    body = {"id": f"{base}/image/full/max/0/default.jpg", "type": "Image", "format": "image/jpeg", "width": width,
            "height": height, "service": [service]}  # fmt: skip
    canvas = f"{base}/canvas"
    lines = {"Scale": "" if um_per_px is None else f"{um_per_px:.6g} µm per px", **(told or {})}
    manifest: dict[str, Any] = {
        "@context": "http://iiif.io/api/presentation/3/context.json",
        "id": f"{base}/manifest.json",
        "type": "Manifest",
        "label": {"en": [name]},
        "metadata": [_line(head, value) for head, value in lines.items() if value],
        "items": [{
            "id": canvas, "type": "Canvas", "width": width, "height": height,
            "items": [{"id": f"{canvas}/page", "type": "AnnotationPage", "items": [
                {"id": f"{canvas}/picture", "type": "Annotation", "motivation": "painting", "target": canvas,
                 "body": body}
            ]}],
        }],
    }  # fmt: skip
    if credit:
        manifest["requiredStatement"] = _line("Attribution", credit)
    if licence.startswith(("http://", "https://")):  # the standard allows nothing else
        manifest["rights"] = licence
    if um_per_px is not None:  # https://iiif.io/api/annex/services/#physical-dimensions
        manifest["items"][0]["service"] = [{
            "@context": "http://iiif.io/api/annex/services/physdim/1/context.json",
            "@id": f"{canvas}/size", "@type": "PhysicalDimensions",
            "profile": "http://iiif.io/api/annex/services/physdim", "physicalScale": um_per_px / 1e3,
            "physicalUnits": "mm",
        }]  # fmt: skip
    write_json(folder / "manifest.json", manifest)


def _in_srgb(picture: NDArray[Any], colour_profile: bytes | None) -> pyvips.Image:
    """In 8 bits, as web sites show pictures."""
    if colour_profile is None or name_of(colour_profile) == UNREADABLE:
        return pyvips.Image.new_from_array(eight_bits(picture), interpretation="srgb")
    deep = "rgb16" if picture.dtype == np.uint16 else "srgb"
    image = pyvips.Image.new_from_array(np.ascontiguousarray(picture), interpretation=deep).copy()
    image.set_type(pyvips.GValue.blob_type, "icc-profile-data", colour_profile)
    return image.icc_transform("srgb", embedded=True)


def _line(head: str, value: str) -> dict[str, dict[str, list[str]]]:
    return {"label": {"en": [head]}, "value": {"en": [value]}}
