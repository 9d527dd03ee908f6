"""What is in focus in one picture: its edges, and a reading of how sharp it is."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]

_COARSE_PX = 2.4  # blur of the coarser band: detail that survives defocus of a few pixels
_FINE_SHARE = 0.10  # of fine against coarse detail, above which an edge counts as in focus
_CONTRAST = 0.03  # least contrast of an edge, against the full range
_OVER_NOISE = 7.0


@dataclass(frozen=True, slots=True)
class InFocus:
    """``edges`` (H, W) are the pixels whose detail is in focus; ``sharpness`` a reading that peaks with focus.

    ``sharpness`` is the mean square of fine detail, less that of the noise, in thousandths of the squared range.
    """

    edges: NDArray[np.bool_]
    sharpness: float


def in_focus(grey: Float) -> InFocus:
    """Edges in focus of a grey picture (H, W), 0 to 1.

    An edge is in focus when its detail of about a pixel is strong against its own detail of several pixels: defocus
    takes the former first, whatever the contrast. Noise is reckoned from the median of the fine detail.
    """
    soft = cv2.GaussianBlur(grey, (0, 0), 0.7)
    fine = soft - cv2.GaussianBlur(soft, (0, 0), 1.0)
    middle = cv2.GaussianBlur(grey, (0, 0), _COARSE_PX)
    coarse = middle - cv2.GaussianBlur(middle, (0, 0), 2.0 * _COARSE_PX)
    energy = cv2.GaussianBlur(fine * fine, (0, 0), 2.0)
    of_coarse = cv2.GaussianBlur(coarse * coarse, (0, 0), 2.0 * _COARSE_PX)
    noise = float(np.percentile(energy[::3, ::3], 8))
    strong = (energy > _OVER_NOISE * noise) & (of_coarse > (_CONTRAST / 4.0) ** 2)
    crests = fine * fine > energy  # of an edge its two flanks, not the blur around them
    edges = strong & crests & (energy > _FINE_SHARE * of_coarse)
    return InFocus(np.asarray(edges, np.bool_), 1e3 * max(float(energy.mean()) - noise, 0.0))
