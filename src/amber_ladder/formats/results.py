"""The files a merge leaves: composite, depth and report."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray

from amber_ladder import __version__

SOFTWARE = f"Amber Ladder {__version__}"


def write_composite(
    path: Path,
    composite: NDArray[Any],
    *,
    colour_profile: bytes | None = None,
    um_per_px: float | None = None,
) -> None:
    """RGB TIFF (H, W, 3) in 8 or 16 bits, with its colour profile, and its scale as pixels per cm if known."""
    tifffile.imwrite(
        path,
        composite,
        photometric="rgb",
        iccprofile=colour_profile,
        software=SOFTWARE,
        metadata=None,
        resolution=None if um_per_px is None else (1e4 / um_per_px, 1e4 / um_per_px),
        resolutionunit=None if um_per_px is None else "CENTIMETER",
    )


def write_depth(path: Path, depth: NDArray[np.float32], *, unit: str) -> None:
    """Float TIFF (H, W); NaN where unknown. The unit stands in the description."""
    description = f"Depth below the nearest kept frame, {unit}, growing away from the camera; NaN where unknown"
    tifffile.imwrite(path, depth.astype(np.float32), software=SOFTWARE, description=description.encode(), metadata=None)


def write_json(path: Path, content: dict[str, Any]) -> None:
    """Indented JSON in UTF-8."""
    path.write_text(json.dumps(content, indent=2, ensure_ascii=False) + "\n", encoding="utf-8")
