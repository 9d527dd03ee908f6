"""Small valid entries that tests vary."""

from io import BytesIO
from typing import Any

import numpy as np
from PIL import Image

RIG: dict[str, Any] = {
    "name": "5× objective",
    "sensor": {"width_px": 384, "height_px": 256, "pixel_um": 5.0},
    "train": {
        "kind": "infinity_objective",
        "nominal_magnification": 5,
        "na": 0.14,
        "design_tube_mm": 200,
        "tube_mm": 200,
    },
}
PLAN: dict[str, Any] = {"near_um": 0, "far_um": 200, "rail": {"click_um": 2.5}, "spare_rungs": 1}
SPECIMEN: dict[str, Any] = {"catalogue_number": "TH-1", "name": "moss capsule", "kind": "plant"}


def picture(width: int = 200, height: int = 150, seed: int = 0, kind: str = "JPEG", shot: int = 0) -> bytes:
    """An encoded picture of smooth seeded texture; each ``shot`` of it has a grain of its own."""
    small = np.random.default_rng(seed).integers(0, 255, (height // 4, width // 4, 3), np.uint8)
    small[::7, ::7] ^= np.uint8(shot)
    file = BytesIO()
    Image.fromarray(small).resize((width, height), Image.Resampling.BICUBIC).save(file, kind)
    return file.getvalue()
