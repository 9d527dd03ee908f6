"""A rig's scale judged over the calibrations that count."""

import unittest
from datetime import UTC, datetime, timedelta

from amber_ladder.errors import NotFound
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Calibration
from amber_ladder.work import rigs
from amber_ladder.work.rigs import calibrations
from tests.support.examples import RIG
from tests.support.station import database


class DriftOfARig(unittest.TestCase):
    def setUp(self) -> None:
        database()
        self.rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": f"rig of {self._testMethodName}"}))

    def measured(self, *scales: float) -> list[int]:
        """Calibrations a month apart."""
        first = datetime(2026, 1, 15, tzinfo=UTC)
        with transaction() as session:
            rows = [
                Calibration(
                    rig_id=self.rig.id, rig_version=1, kind="scale", method="ruled slide", entry={},
                    result={"um_per_px": scale, "u_um_per_px": 0.0005, "magnification": 5.0 / scale},
                    made_at=first + timedelta(days=30.4375 * place),
                )
                for place, scale in enumerate(scales)
            ]  # fmt: skip
            session.add_all(rows)
            session.flush()
            return [one.id for one in rows]

    def test_a_drift_is_told_a_month(self) -> None:
        self.measured(1.0, 1.003, 1.006, 1.009)
        told = calibrations.drift_of_rig(self.rig.id)
        self.assertEqual((told.verdict, told.scales), ("drifts", 4))
        self.assertAlmostEqual(told.per_month or 0.0, 0.003 / 1.0045, places=6)

    def test_what_is_set_aside_does_not_count(self) -> None:
        numbers = self.measured(1.0, 1.02, 1.0002)
        told = calibrations.drift_of_rig(self.rig.id)
        self.assertEqual((told.verdict, told.apart), ("jumps", numbers[1]))
        calibrations.set_aside(numbers[1], aside=True)
        told = calibrations.drift_of_rig(self.rig.id)
        self.assertEqual((told.verdict, told.scales), ("steady", 2))

    def test_a_rig_that_was_never_measured_tells_nothing(self) -> None:
        self.assertEqual(calibrations.drift_of_rig(self.rig.id).verdict, "few")
        with self.assertRaises(NotFound):
            calibrations.drift_of_rig(999_999)


if __name__ == "__main__":
    unittest.main()
