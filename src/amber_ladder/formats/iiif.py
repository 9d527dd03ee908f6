"""Pictures for a web site: tiles and a manifest that any server of plain files can give out."""

from pathlib import Path

import numpy as np
import pyvips
from numpy.typing import NDArray

from amber_ladder.formats.results import write_json

_TILE_PX = 512


def write_iiif(folder: Path, picture: NDArray[np.uint8], *, name: str, um_per_px: float | None, base: str) -> None:
    """RGB (H, W, 3) as an image of level 0 (IIIF Image 3.0) and a manifest (Presentation 3.0) in a new folder.

    ``base`` is the address at which the folder will be given out.
    """
    height, width = picture.shape[:2]
    image = pyvips.Image.new_from_array(np.ascontiguousarray(picture), interpretation="srgb")
    image.dzsave(str(folder / "image"), layout="iiif3", id=base, tile_size=_TILE_PX, suffix=".jpg[Q=90]")
    whole = folder / "image" / "full" / "max" / "0"
    whole.mkdir(parents=True, exist_ok=True)
    image.jpegsave(str(whole / "default.jpg"), Q=90)
    service = {"id": f"{base}/image", "type": "ImageService3", "profile": "level0"}
    body = {"id": f"{base}/image/full/max/0/default.jpg", "type": "Image", "format": "image/jpeg", "width": width,
            "height": height, "service": [service]}  # fmt: skip
    canvas = f"{base}/canvas"
    known = [] if um_per_px is None else [
        {"label": {"en": ["Scale"]}, "value": {"en": [f"{um_per_px:.6g} µm per px"]}}
    ]  # fmt: skip
    manifest = {
        "@context": "http://iiif.io/api/presentation/3/context.json",
        "id": f"{base}/manifest.json",
        "type": "Manifest",
        "label": {"en": [name]},
        "metadata": known,
        "items": [{
            "id": canvas, "type": "Canvas", "width": width, "height": height,
            "items": [{"id": f"{canvas}/page", "type": "AnnotationPage", "items": [
                {"id": f"{canvas}/picture", "type": "Annotation", "motivation": "painting", "target": canvas,
                 "body": body}
            ]}],
        }],
    }  # fmt: skip
    if um_per_px is not None:  # https://iiif.io/api/annex/services/#physical-dimensions
        manifest["service"] = [{
            "@context": "http://iiif.io/api/annex/services/physdim/1/context.json",
            "profile": "http://iiif.io/api/annex/services/physdim", "physicalScale": um_per_px / 1e3,
            "physicalUnits": "mm",
        }]  # fmt: skip
    write_json(folder / "manifest.json", manifest)
