"""A frame laid on the reference for merging: against scipy's exact answer, its own type, and its borders."""

import unittest

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.registration._warp import warped_picture
from tests.core.registration.test_pair import similarity


def keys(t: float) -> NDArray[np.float64]:
    """Keys 1981, a = −1/2: the weights of four neighbours, written down anew."""
    return np.array([-0.5 * t + t**2 - 0.5 * t**3, 1 - 2.5 * t**2 + 1.5 * t**3,
                     0.5 * t + 2 * t**2 - 1.5 * t**3, -0.5 * t**2 + 0.5 * t**3])  # fmt: skip


def slowly(picture: NDArray[np.float64], matrix: NDArray[np.float64], x: int, y: int) -> NDArray[np.float64]:
    """One pixel, rows first along the mapped line and then down, as its own definition."""
    linear = np.linalg.inv(matrix[:, :2])
    u, v = linear @ (np.array([x, y]) - matrix[:, 2])
    i, j = int(np.floor(u)), int(np.floor(v))
    across, down = keys(u - i), keys(v - j)
    part = picture[j - 1 : j + 3, i - 1 : i + 3]
    return np.asarray(np.einsum("y,x,yxc->c", down, across, part), np.float64)


class Warped(unittest.TestCase):
    def setUp(self) -> None:
        y, x = np.mgrid[:120, :160]
        self.smooth = np.stack([
            0.5 + 0.2 * np.sin(x / 6.0 + k) * np.cos(y / 7.0) + 0.1 * np.sin((x + y) / 9.0) for k in range(3)
        ], axis=2)  # fmt: skip

    def test_every_pixel_is_keys_interpolation_of_the_place_that_the_matrix_says(self) -> None:
        picture = np.asarray(self.smooth * 60000, np.uint16)
        for matrix in (
            similarity(1.0, 0.0, (0.37, -1.62), (120, 160)),
            similarity(1.004, 0.25, (2.1, 0.8), (120, 160)),
            similarity(0.97, -1.5, (-3.3, 4.4), (120, 160)),
        ):
            out = warped_picture(picture, matrix, 1.0, 65535)
            self.assertEqual(out.dtype, np.uint16)
            for x, y in ((20, 20), (80, 60), (131, 99), (40, 90), (64, 31), (65, 64)):
                want = slowly(picture.astype(np.float64), matrix, x, y)
                # Along the rows first and then down: by a turn that is another line of a smooth picture, not of noise.
                np.testing.assert_allclose(out[y, x], want, atol=20.0)

    def test_a_shift_alone_is_exact_to_rounding_on_noise(self) -> None:
        picture = np.random.default_rng(3).integers(0, 65535, (90, 110, 3), np.uint16)
        matrix = np.array([[1.0, 0.0, 1.25], [0.0, 1.0, -0.4]])
        out = warped_picture(picture, matrix, 1.0, 65535).astype(np.float64)
        for x, y in ((10, 10), (50, 33), (99, 80), (64, 64)):
            want = np.clip(slowly(picture.astype(np.float64), matrix, x, y), 0, 65535)
            np.testing.assert_allclose(out[y, x], want, atol=1.0)

    def test_whole_pixels_are_kept_to_the_bit_and_beyond_the_border_it_is_mirrored(self) -> None:
        picture = np.random.default_rng(4).integers(0, 255, (80, 100, 3), np.uint8)
        out = warped_picture(picture, np.array([[1.0, 0.0, 4.0], [0.0, 1.0, -3.0]]), 1.0, 255)
        np.testing.assert_array_equal(out[:-3, 4:], picture[3:, :-4])
        np.testing.assert_array_equal(out[:-3, :4], picture[3:, 3::-1])
        np.testing.assert_array_equal(out[-3:, 4:], picture[:-4:-1, :-4])

    def test_brightness_is_brought_to_the_stacks_and_what_does_not_fit_is_white_and_does_not_wrap(self) -> None:
        picture = np.full((40, 50, 3), 100, np.uint8)
        picture[20:] = 200
        out = warped_picture(picture, similarity(1.0, 0.0, (0.5, 0.0), (40, 50)), 1.5, 255)
        self.assertEqual(set(np.unique(out[:18])), {150})
        self.assertEqual(set(np.unique(out[23:])), {255})
        dark = warped_picture(picture, similarity(1.0, 0.0, (0.0, 0.5), (40, 50)), 0.01, 255)
        self.assertLessEqual(int(dark.max()), 2)

    def test_it_comes_out_the_same_however_wide_it_is_beside(self) -> None:
        """In blocks of 512 px: their seams don't show."""
        wide = np.tile(np.asarray(self.smooth[:, :150] * 255, np.uint8), (1, 8, 1))
        matrix = np.array([[1.0001, -0.0004, 0.3], [0.0004, 1.0001, 0.6]])
        whole = warped_picture(wide, matrix, 1.0, 255)
        for left in (380, 505, 900):
            back = matrix.copy()
            back[:, 2] += matrix[:, :2] @ [left, 0.0] - [left, 0.0]
            part = warped_picture(np.ascontiguousarray(wide[:, left : left + 260]), back, 1.0, 255)
            off = np.abs(part[20:-20, 20:-20].astype(int) - whole[20:-20, left + 20 : left + 240].astype(int))
            self.assertLessEqual(int(off.max()), 1)
            self.assertLess(float((off > 0).mean()), 0.01)


if __name__ == "__main__":
    unittest.main()
