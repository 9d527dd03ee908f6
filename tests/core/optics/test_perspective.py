"""How much a picture can grow with depth: against values reckoned by hand."""

import unittest

from amber_ladder.core.optics import (
    Coupled,
    FiniteObjective,
    InfinityObjective,
    Lens,
    Measured,
    Rig,
    Sensor,
    Train,
    growth_limit,
    resolve,
)

SENSOR = Sensor(6000, 4000, 3.76)


def limit(train: Train, *, focus_ring: bool = False, working_distance_mm: float | None = None) -> float | None:
    rig = Rig(SENSOR, train, working_distance_mm=working_distance_mm)
    found = growth_limit(rig, resolve(rig), focus_ring=focus_ring)
    return found.per_mm if found else None


class Growth(unittest.TestCase):
    def test_a_lens_grows_by_the_distance_of_its_entrance_pupil(self) -> None:
        # f (1/m + 1/P) = 60 (1 + 1) = 120 mm, or 80 where it shortens as it comes near; P not known: 60 (1 + 1/2) = 90.
        self.assertAlmostEqual(limit(Lens(5.6, 1.0, 1.0, focal_mm=60)) or 0, 1 / 80)
        self.assertAlmostEqual(limit(Lens(5.6, 1.0, focal_mm=60)) or 0, 1 / 60)
        # A longer working distance tells more.
        self.assertAlmostEqual(limit(Lens(5.6, 1.0, focal_mm=60), working_distance_mm=100) or 0, 1 / 100)

    def test_an_objective_at_most_by_its_focal_length(self) -> None:
        self.assertAlmostEqual(limit(InfinityObjective(10, 0.28, 200, 150)) or 0, 1 / 20)
        self.assertAlmostEqual(limit(InfinityObjective(10, 0.28, 200, 200), working_distance_mm=33.5) or 0, 1 / 33.5)
        self.assertAlmostEqual(limit(FiniteObjective(4, 0.1, 160, 160)) or 0, 1 / 32)
        self.assertAlmostEqual(limit(Coupled(200, 4, 50, 2.8)) or 0, 1 / 50)

    def test_a_focus_ring_breathes_by_m_over_f(self) -> None:
        self.assertAlmostEqual(limit(Lens(2.8, 0.5, focal_mm=100), focus_ring=True) or 0, 2 * 0.5 / 100)
        # An objective has none.
        self.assertAlmostEqual(limit(InfinityObjective(10, 0.28, 200, 200), focus_ring=True) or 0, 1 / 20)

    def test_where_nothing_is_known_there_is_no_limit(self) -> None:
        self.assertIsNone(limit(Lens(5.6, 1.0)))
        self.assertIsNone(limit(Lens(5.6, 1.0), focus_ring=True, working_distance_mm=80))
        self.assertIsNone(limit(Measured(5.08, effective_f_number=19)))


if __name__ == "__main__":
    unittest.main()
