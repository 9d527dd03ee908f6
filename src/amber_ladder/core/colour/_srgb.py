"""The transfer curve of IEC 61966-2-1 (sRGB)."""

import numpy as np
from numpy.typing import NDArray


def encode_srgb(light: NDArray[np.float32]) -> NDArray[np.float32]:
    """Linear light to encoded values, both 0 to 1; what lies outside is clipped. Any shape."""
    clipped = np.clip(light, 0.0, 1.0)
    return np.where(clipped <= 0.0031308, 12.92 * clipped, 1.055 * clipped ** (1 / 2.4) - 0.055).astype(np.float32)


def decode_srgb(encoded: NDArray[np.float32]) -> NDArray[np.float32]:
    """Encoded values to linear light, both 0 to 1. Any shape."""
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4).astype(np.float32)
