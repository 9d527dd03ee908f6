"""Takes on a card that are the tiles of a set, in their order."""

import unittest

from amber_ladder.formats.metadata import Noted
from amber_ladder.store.database import transaction
from amber_ladder.work.card.going import Asked, Goes, goes_where
from amber_ladder.work.card.judging import Edits
from amber_ladder.work.stack.views import StackView
from tests.support.station import database
from tests.support.takes import new_stack
from tests.work.plan.test_tiles import planned

SENSOR = {"width_px": 317, "height_px": 211, "pixel_um": 5.0}  # of no other test's rig


class InTurn(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        database()

    def going(self, stack: StackView, count: int) -> list[Goes | None]:
        size = (SENSOR["width_px"], SENSOR["height_px"])
        frames = stack.ladder.frames
        pieces = [
            Asked(range(100 * n, 100 * n + frames), 0, (int(size[0]), int(size[1])), True, Noted())
            for n in range(count)
        ]
        with transaction() as session:
            return goes_where(session, pieces, Edits())

    def test_as_many_takes_as_tiles_wait_are_these_in_their_order(self) -> None:
        whole = planned("TURN-1", columns=2, rows=2, rig={"sensor": SENSOR})
        assert whole.tiles is not None
        told = self.going(whole, 4)
        self.assertEqual([one and one.stack_id for one in told], [one.stack_id for one in whole.tiles.tiles])
        assert told[0] is not None
        self.assertIn("as many takes of", told[0].why or "")
        # One too few: nobody knows which was not shot.
        self.assertEqual(self.going(whole, 3), [None, None, None])
        # Another ladder would fit as well.
        new_stack("TURN-2", rig={"sensor": SENSOR})
        self.assertEqual(self.going(whole, 5), [None] * 5)


if __name__ == "__main__":
    unittest.main()
