"""A day's list: kept, ordered, followed as things really happen, taken back, and never overwritten unseen."""

import unittest
from datetime import UTC, date, datetime, timedelta
from itertools import count
from typing import Any

from pydantic import ValidationError

from amber_ladder.errors import BadInput, Conflict, NotFound, Stale
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.work import day, deeds
from amber_ladder.work.stack.views import StackView
from tests.support.station import database
from tests.support.takes import new_stack, shot_stack, take_of

_DATES = count()


class DaysList(unittest.TestCase):
    made = count(1)

    def setUp(self) -> None:
        database()
        self.on = date(2031, 1, 1) + timedelta(days=next(_DATES))
        self.starts_at = datetime(self.on.year, self.on.month, self.on.day, 8, tzinfo=UTC)

    def stack(self, rig_id: int | None = None) -> StackView:
        made = new_stack(f"DY-{next(self.made)}")
        if rig_id is not None:
            with transaction() as session:
                stacks.get_stack(session, made.id).rig_id = rig_id
        return made

    def at(self, hours: float) -> datetime:
        return self.starts_at + timedelta(hours=hours)

    def entry(self, *items: StackView | dict[str, Any], seen: int = 0, **changes: Any) -> day.DayEntry:
        told = [one if isinstance(one, dict) else {"stack_id": one.id} for one in items]
        whole = {"starts_at": self.starts_at, "ends_at": self.at(8), "items": told, "seen": seen, **changes}
        return day.DayEntry.model_validate(whole)

    def test_times_follow_from_plans_and_what_is_assumed(self) -> None:
        self.assertIsNone(day.read(self.on))
        first, second = self.stack(), self.stack()
        lunch = {"from_at": self.at(0.1), "until_at": self.at(1.0)}
        told = day.change(self.on, self.entry(first, second, set_up_min=10, change_min=20, breaks=[lunch])).day
        one, two = told.items
        # The first takes ten minutes of hands, more than there are before the break; then a change to its own rig.
        self.assertEqual([item.changes for item in told.items], [told.rig_name is not None, True])
        begins = self.at(1.0)
        self.assertEqual(one.begins_at, begins)
        shoots = begins + timedelta(minutes=10 + 20 * one.changes)
        self.assertEqual((one.shoots_at, one.ends_at), (shoots, shoots + timedelta(seconds=one.shoot_s)))
        self.assertAlmostEqual(one.shoot_s, first.ladder.seconds, delta=1.0)
        self.assertEqual(two.shoots_at, one.ends_at + timedelta(minutes=30))
        self.assertEqual((told.totals.ends_at, told.totals.do_not_fit), (two.ends_at, 0))
        self.assertEqual(day.read(self.on, at=told.now), told)

    def test_the_best_order_changes_rigs_once_and_says_what_it_was_before(self) -> None:
        one = self.stack()
        other = self.stack()
        again, too = self.stack(one.rig_id), self.stack(other.rig_id)
        mixed = day.change(self.on, self.entry(one, other, again, too))
        self.assertIsNone(mixed.before)
        told = day.propose(self.on, seen=mixed.day.revision)
        assert told.before is not None
        self.assertEqual(told.before.changes - told.day.totals.changes, 2)
        self.assertTrue(told.proven)
        rigs = [item.rig_id for item in told.day.items]
        self.assertEqual((rigs[0], rigs[2]), (rigs[1], rigs[3]))
        moved = day.change(self.on, self.entry(one, other, again, too, seen=told.day.revision))
        assert moved.before is not None
        self.assertEqual(moved.day.totals.changes - moved.before.changes, 2)

    def test_what_melts_has_its_last_moment_from_the_model_and_comes_first(self) -> None:
        moss, snow = self.stack(), self.stack()
        air = {"air_celsius": -6, "humidity": 0.7, "size_um": 3000, "allowed_um": 300, "since": self.at(0)}
        item = {"stack_id": snow.id, "vanishes": air, "set_up_min": 2}
        told = day.change(self.on, self.entry(moss, item)).day
        last = told.items[1].last_moment
        assert last is not None
        self.assertEqual((told.items[1].how, told.items[0].last_moment), ("sublimates", None))
        self.assertGreater(last, self.at(0.2))
        said = {**item, "by_at": self.at(0.1)}
        earlier = day.change(self.on, self.entry(moss, said, seen=told.revision)).day.items[1]
        self.assertEqual((earlier.last_moment, earlier.fits), (self.at(0.1), False))
        keeps = {**item, "vanishes": {**air, "air_celsius": -20, "humidity": 0.99}}
        told = day.change(self.on, self.entry(moss, keeps, seen=2)).day
        self.assertEqual((told.items[1].how, told.items[1].last_moment), ("keeps", None))
        day.change(self.on, self.entry(moss, item, seen=3, change_min=0))
        best = day.propose(self.on, seen=4).day
        self.assertEqual([one.stack_id for one in best.items], [snow.id, moss.id])

    def test_what_does_not_fit_is_said_in_the_morning(self) -> None:
        one, two = self.stack(), self.stack()
        told = day.change(self.on, self.entry(one, two, ends_at=self.at(0.5), set_up_min=20, change_min=0))
        self.assertEqual([item.fits for item in told.day.items], [True, False])
        self.assertEqual((told.day.totals.do_not_fit, told.day.items[1].alone), (1, True))
        last = day.propose(self.on, seen=1).day.items[1]
        self.assertGreater(last.over_s, 0)
        late = {"stack_id": one.id, "by_at": self.at(-1)}
        never = day.change(self.on, self.entry(late, two, seen=2)).day.items[0]
        self.assertEqual((never.fits, never.alone), (False, False))

    def test_the_list_follows_what_really_happened(self) -> None:
        first, second = self.stack(), self.stack()
        told = day.change(self.on, self.entry(first, second)).day
        self.assertEqual([one.state for one in told.items], ["to come", "to come"])
        frames = shot_stack().takes[0].frames[:4]
        take_id = take_of(second, frames)
        with transaction() as session:
            stacks.get_take(session, take_id).created_at = self.at(1.0)
        told = day.read(self.on, at=self.at(1.5))  # type: ignore[assignment]
        self.assertEqual(
            [(one.stack_id, one.state) for one in told.items], [(second.id, "done"), (first.id, "to come")]
        )
        self.assertEqual((told.items[0].begins_at, told.items[1].begins_at), (self.at(1.0), self.at(1.5)))
        self.assertTrue(told.items[1].changes)  # the bench stands as the last one left it
        self.assertEqual(told.rig_name, f"rig of {told.items[0].catalogue_number}")

    def test_what_was_shot_before_it_was_listed_is_still_to_come(self) -> None:
        stack = self.stack()
        take_of(stack, shot_stack().takes[0].frames[:4])
        (told,) = day.change(self.on, self.entry(stack)).day.items
        self.assertEqual(told.state, "to come")

    def test_another_window_overwrites_nothing(self) -> None:
        one, two = self.stack(), self.stack()
        day.change(self.on, self.entry(one))
        for refused in (lambda: day.change(self.on, self.entry(two)), lambda: day.propose(self.on, seen=0)):
            with self.assertRaisesRegex(Stale, "this day's list was changed meanwhile"):
                refused()
        told = day.read(self.on)
        assert told is not None
        self.assertEqual([item.stack_id for item in told.items], [one.id])

    def test_the_last_change_is_undone(self) -> None:
        one, two = self.stack(), self.stack()
        day.change(self.on, self.entry(one, two))
        day.change(self.on, self.entry(two, seen=1))
        deed = deeds.last_deed()
        assert deed is not None
        self.assertIn("taken from the day's list", deed.words)
        deeds.undo(deed.id)
        told = day.read(self.on)
        assert told is not None
        self.assertEqual([item.stack_id for item in told.items], [one.id, two.id])

    def test_a_stack_that_was_discarded_stands_in_no_list(self) -> None:
        one, two = self.stack(), self.stack()
        day.change(self.on, self.entry(one, two))
        deeds.discard(deeds.DiscardEntry(kind="stack", id=one.id, why="planned twice"))
        told = day.read(self.on)
        assert told is not None
        self.assertEqual([item.stack_id for item in told.items], [two.id])
        with self.assertRaisesRegex(BadInput, "discarded, or never planned"):
            day.change(date(2041, 1, 1), self.entry(one))

    def test_a_stack_that_cannot_be_read_hides_no_other(self) -> None:
        broken, sound = self.stack(), self.stack()
        day.change(self.on, self.entry(broken, sound))
        with transaction() as session:
            row = stacks.get_stack(session, broken.id)
            planned, row.plan = row.plan, {"near_um": "nobody knows"}
        try:
            with self.assertLogs("amber_ladder.work.day.following", "ERROR"):
                told = day.read(self.on)
        finally:
            with transaction() as session:
                stacks.get_stack(session, broken.id).plan = planned
        assert told is not None
        self.assertEqual(([one.stack_id for one in told.items], told.unreadable), ([sound.id], [broken.id]))

    def test_what_cannot_be_is_refused_with_what_to_do(self) -> None:
        stack = self.stack()
        air = {"air_celsius": -6, "humidity": 0.7, "size_um": 100, "allowed_um": 60, "since": self.at(0)}
        for words, entry in (
            ("morning to evening", {"ends_at": self.at(-1)}),
            ("24 hours", {"ends_at": self.at(25)}),
            ("overlap", {"breaks": [{"from_at": self.at(a), "until_at": self.at(b)} for a, b in ((1, 3), (2, 4))]}),
            ("break ends before", {"breaks": [{"from_at": self.at(2), "until_at": self.at(1)}]}),
            ("less than or equal to 600", {"change_min": 601}),
            ("stands twice", {"items": [{"stack_id": stack.id}, {"stack_id": stack.id}]}),
            ("half the crystal", {"items": [{"stack_id": stack.id, "vanishes": air}]}),
            ("timezone", {"starts_at": "2031-01-01T08:00:00"}),
        ):
            with self.subTest(words), self.assertRaisesRegex(ValidationError, words):
                self.entry(stack, **entry)
        with self.assertRaisesRegex(NotFound, "nothing is planned"):
            day.propose(date(2040, 1, 1), seen=0)
        day.change(self.on, self.entry())
        with self.assertRaisesRegex(Conflict, "nothing is left"):
            day.propose(self.on, seen=1)


if __name__ == "__main__":
    unittest.main()
