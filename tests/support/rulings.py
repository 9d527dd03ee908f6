"""Pictures of rulings of known pitch, as spoiled as real ones."""

from math import cos, radians, sin
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray


def ruled_slide(
    pitch_px: float,
    angle_deg: float = 0.0,
    *,
    size: tuple[int, int] = (840, 560),
    longer: int = 5,
    noise: float = 0.03,
    blur_px: float = 0.0,
    light: float = 0.0,
    numbers: bool = True,
    bright: bool = False,
    barrel: float = 0.0,
    pairs: float = 0.0,
    seed: int = 0,
) -> NDArray[np.float32]:
    """A scale across the picture (H, W), 0 to 1: marks with every so-manieth longer, numbered.

    ``blur_px`` is the defocus at the far side, ``light`` the fall of brightness across, ``barrel`` the change of the
    local pitch from the middle to the corner. ``pairs`` splits each mark into two edges, this share of the pitch apart.
    """
    width, height = size
    random = np.random.default_rng(seed)
    fine = 2
    y, x = np.mgrid[0 : height * fine, 0 : width * fine].astype(np.float32)
    x, y = (x + 0.5) / fine - 0.5 - (width - 1) / 2, (y + 0.5) / fine - 0.5 - (height - 1) / 2
    swell = 1 + barrel * (x * x + y * y) / ((width**2 + height**2) / 4) / 3
    x, y = x * swell, y * swell
    a = radians(angle_deg)
    across, along = x * cos(a) + y * sin(a), -x * sin(a) + y * cos(a)
    number = np.rint(across / pitch_px)
    distance = np.abs(across - number * pitch_px)
    thick = max(1.2, 0.16 * pitch_px)
    if pairs:
        distance, thick = np.abs(distance - pairs * pitch_px / 2), max(1.0, 0.08 * pitch_px)
    top = -0.22 * height
    length = np.where(number % longer == 0, 0.44 * height, 0.3 * height) if longer else height
    mark = (distance < thick / 2) & (along > top) & (along < top + length) & (np.abs(across) < 0.45 * width)
    picture: NDArray[Any] = np.where(mark, 38, 217).astype(np.uint8)
    if numbers and longer:
        for k in range(-40, 41):
            p = k * longer * pitch_px
            if abs(p) < 0.42 * width:
                q = top + 0.5 * height
                at = (p * cos(a) - q * sin(a) + width / 2, p * sin(a) + q * cos(a) + height / 2)
                place = (int(at[0] * fine) - 20 * fine, int(at[1] * fine) + 8 * fine)
                cv2.putText(picture, str(10 * (k + 40)), place, cv2.FONT_HERSHEY_SIMPLEX, 0.7 * fine, 38, 2 * fine)
    picture = np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.float32) / 255
    if blur_px:
        soft = cv2.GaussianBlur(picture, (0, 0), blur_px)
        share = np.linspace(0, 1, width, dtype=np.float32)[None, :]
        picture = picture * (1 - share) + soft * share
    if bright:
        picture = 1 - picture
    if light:
        picture = picture * np.linspace(1, 1 - light, width, dtype=np.float32)[None, :]
    picture = picture + random.normal(0, noise, picture.shape)
    return np.asarray(np.clip(picture, 0, 1), np.float32)


def short_ruling(
    pitch_px: float,
    *,
    size: tuple[int, int] = (840, 560),
    lines: int = 57,
    share: float = 1 / 7,
    longer: tuple[float, float] = (1.5, 2.0),
    thick: float = 0.2,
    seed: int = 0,
) -> NDArray[np.float32]:
    """Marks of a share of the picture's height in the middle of it, every fifth and tenth longer, standing upright."""
    width, height = size
    fine = 4
    picture = np.full((height * fine, width * fine), 217, np.uint8)
    first, half = (width - (lines - 1) * pitch_px) / 2, max(1.5, thick * pitch_px) / 2
    for k in range(lines):
        x, length = (
            first + k * pitch_px,
            share * height * (longer[1] if k % 10 == 0 else longer[0] if k % 5 == 0 else 1),
        )
        rows = slice(round(0.4 * height * fine), round((0.4 * height + length) * fine))
        picture[rows, round((x - half) * fine) : round((x + half) * fine)] = 38
    small = np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.float32) / 255
    noisy = small + np.random.default_rng(seed).normal(0, 0.01, small.shape)
    return np.asarray(np.clip(noisy, 0, 1), np.float32)
