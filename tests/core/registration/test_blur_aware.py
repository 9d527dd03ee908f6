"""Pairs whose change of focus looks like movement, registered with the depth known; and all pairs as one graph."""

import unittest
from typing import ClassVar

import cv2
import numpy as np

from amber_ladder.core.frames import to_grey
from amber_ladder.core.optics._formulas import rim_slope
from amber_ladder.core.registration import (
    IDENTITY,
    Fit,
    Link,
    Relief,
    Side,
    compose,
    fit_pair,
    inverse,
    inverse_scaled,
    rescaled,
    scale_of,
    solve_graph,
)
from benchmarks.stacks import Stack
from tests.core.registration.test_pair import similarity
from tests.support.stacks import corner_error_px


class TiltedFlake(unittest.TestCase):
    """A steady tilt: what each pair gets wrong, it gets wrong the same way, and a chain of them drifts away."""

    stack: ClassVar[Stack]
    blur: ClassVar[float]

    @classmethod
    def setUpClass(cls) -> None:
        cls.stack = Stack("flake", 21, (640, 420))
        optics = cls.stack.optics
        cone = rim_slope(optics.numerical_aperture, optics.medium_index)
        cls.blur = (cls.stack.step_um * cone / optics.pixel_um) ** 2

    def side(self, frame: int) -> Side:
        light = to_grey(self.stack.frames.pictures[frame], 2) ** np.float32(2.2)
        return Side(np.asarray(light, np.float32), float(frame))

    def fit(self, first: int, blur: float, *, free: bool = False) -> Fit:
        """At half the size, as a merge does."""
        truths = self.stack.truths
        depth = (self.stack.stand.sharp_depth_um(truths[first].matrix) - truths[0].focus_um) / self.stack.step_um
        steps = cv2.resize(np.asarray(depth, np.float32), None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        relief = Relief(np.asarray(steps, np.float32), np.ones(steps.shape, np.float32), blur / 4, 0.5)
        start = compose(similarity(1.0, 0.0, (0.3, -0.3), depth.shape), self.stack.true_matrix(first + 1, first))
        found = fit_pair(self.side(first), self.side(first + 1), inverse_scaled(start, 2), relief, free=free)
        assert found is not None
        return found

    def drift_px(self, blur: float) -> float:
        """How far the middle has gone astray over eight pairs, px at full size."""
        middle = np.array([320.0, 210.0, 1.0])
        return float(np.hypot(*sum(
            (rescaled(self.fit(first, blur).matrix, 2) - self.stack.true_matrix(first + 1, first)) @ middle
            for first in range(9, 17)
        )))  # fmt: skip

    def test_pairs_do_not_drift_when_the_change_of_blur_is_reckoned_with(self) -> None:
        self.assertGreater(self.drift_px(1e-6), 0.45)
        self.assertLess(self.drift_px(self.blur), 0.06)

    def test_the_blur_of_a_step_is_found_from_the_frames(self) -> None:
        found = [4 * (self.fit(first, 4.0, free=True).blur or 0.0) for first in range(9, 17)]
        # Points that outshine the sensor make it look smaller than it is.
        self.assertAlmostEqual(float(np.sqrt(np.median(found) / self.blur)), 1.0, delta=0.15)

    def test_nothing_is_claimed_where_nothing_is_known(self) -> None:
        shape = self.side(9).light.shape
        blind = Relief(np.zeros(shape, np.float32), np.zeros(shape, np.float32), self.blur, 0.5)
        self.assertIsNone(fit_pair(self.side(9), self.side(10), IDENTITY, blind))


class Graph(unittest.TestCase):
    SHAPE = (640, 800)

    def test_one_wrong_pair_among_many_and_growing_pictures(self) -> None:
        random = np.random.default_rng(5)
        truths = [similarity(1.0 + 4e-4 * k, 0.02 * random.normal(), (0.4 * k, random.normal()), self.SHAPE)
                  for k in range(40)]  # fmt: skip
        spread = np.diag([0.03, 0.03, 0.02, 0.02]) ** 2
        links = []
        for apart in (1, 2):
            for first in range(40 - apart):
                shift = (0.02 * random.normal(), 0.02 * random.normal())
                if (first, apart) == (17, 1):
                    shift = (4.0, -3.0)
                off = similarity(1.0 + 6e-5 * random.normal(), 0.003 * random.normal(), shift, self.SHAPE)
                true = compose(inverse(truths[first]), truths[first + apart])
                links.append(Link(first, first + apart, compose(off, true), spread, np.zeros(4)))
        matrices, unsure = solve_graph(links, [float(k) for k in range(40)], 20, self.SHAPE)
        for k in range(40):
            error = corner_error_px(matrices[k], compose(inverse(truths[20]), truths[k]), self.SHAPE)
            self.assertLess(error, 0.35, k)
            self.assertLess(float(np.trace(unsure[k])), 0.25**2)
        self.assertGreater(float(np.trace(unsure[39])), float(np.trace(unsure[22])))

    def test_a_picture_on_a_rail_does_not_grow_however_many_doubtful_pairs_say_so(self) -> None:
        """Deep in a stack nothing was sharp, and each pair claimed half a per cent: 9 % over the stack."""
        sure, doubtful = np.diag([0.03, 0.03, 0.02, 0.02]) ** 2, np.diag([0.3, 0.15, 0.1, 0.1]) ** 2
        links = [
            Link(first, first + 1, similarity(1.0 if first < 40 else 0.995, 0.0, (0.0, 0.0), self.SHAPE),
                 sure if first < 40 else doubtful, np.zeros(4))
            for first in range(60)
        ]  # fmt: skip
        z = [float(k) for k in range(61)]
        grown = [
            abs(scale_of(solve_graph(links, z, 20, self.SHAPE, rigid=rigid)[0][-1]) - 1.0) for rigid in (True, False)
        ]
        self.assertLess(grown[0], 0.012)
        self.assertGreater(grown[1], 0.05)

    def test_a_stand_turns_no_more_where_little_is_seen_than_where_much_is_but_a_jolt_is_one(self) -> None:
        """Out of focus pairs of crossing bristles were all turned a little, the same way: 0.8 px at the corner in all."""
        random = np.random.default_rng(8)
        jolted_deg, claimed_deg = 0.5, 0.02
        truths = [similarity(1.0, 0.001 * random.normal() + (jolted_deg if k > 10 else 0.0), (0.0, 0.0), self.SHAPE)
                  for k in range(40)]  # fmt: skip
        sure, doubtful = (np.diag([px, px, px, px]) ** 2 for px in (0.01, 0.3))
        links = []
        for first in range(39):
            claimed = similarity(1.0, claimed_deg if first >= 20 else 0.0, (0.0, 0.0), self.SHAPE)
            true = compose(inverse(truths[first]), truths[first + 1])
            links.append(Link(first, first + 1, compose(claimed, true), doubtful if first >= 20 else sure, np.zeros(4)))
        z = [float(k) for k in range(40)]
        off = {}
        for rigid in (True, False):
            matrices, _ = solve_graph(links, z, 15, self.SHAPE, rigid=rigid)
            off[rigid] = [corner_error_px(matrices[k], compose(inverse(truths[15]), truths[k]), self.SHAPE)
                          for k in (0, 39)]  # fmt: skip
        self.assertLess(off[True][0], 0.05)  # across the jolt
        self.assertLess(off[True][1], 0.4)
        self.assertGreater(off[False][1], 2.5)  # a hand turns as it likes

    def test_rungs_that_are_missing_where_nobody_knows_how_many_bend_nothing(self) -> None:
        """Five steps that pass for one: the picture leaps in size there, and grows as before on either side."""
        at = [*range(9), *range(13, 25)]
        truths = [similarity(1.0 + 4e-4 * k, 0.0, (0.3 * k, 0.0), self.SHAPE) for k in at]
        sure, first_look = np.diag([0.03, 0.03, 0.02, 0.02]) ** 2, np.diag([0.15, 0.08, 0.05, 0.05]) ** 2
        links = [
            Link(k, k + 1, compose(inverse(truths[k]), truths[k + 1]), first_look if k == 8 else sure, np.zeros(4))
            for k in range(20)
        ]
        z = [float(k) for k in range(21)]

        def off(leaps: tuple[int, ...]) -> float:
            matrices, _ = solve_graph(links, z, 15, self.SHAPE, leaps=leaps)
            return max(
                corner_error_px(one, compose(inverse(truths[15]), true), self.SHAPE)
                for one, true in zip(matrices, truths, strict=True)
            )

        self.assertLess(off((8,)), 0.01)
        self.assertGreater(off(()), 0.3)
