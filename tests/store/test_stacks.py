"""Takes, sortings and products are numbered, kept once, and found by what they are."""

import unittest
from typing import Any

from sqlalchemy.orm import Session

from amber_ladder.errors import Conflict, NotFound
from amber_ladder.store import stacks, tasks
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Frame, Product, Sorting, Take, Task
from tests.support.station import database
from tests.support.takes import new_stack

_COUNT = iter(range(1000))


def frame(name: str, sha256: str = "a" * 64, **more: Any) -> Frame:
    return Frame(name=name, sha256=sha256, suffix=".jpg", bytes=9, width_px=64, height_px=64, bits=8, **more)


class StackTest(unittest.TestCase):
    def setUp(self) -> None:
        database()
        self.stack_id = new_stack(f"ST-{next(_COUNT)}").id

    def take(self, session: Session, **more: Any) -> Take:
        take = Take(source="files", **more)
        stacks.add_take(session, stacks.get_stack(session, self.stack_id), take)
        return take


class Numbers(StackTest):
    def test_products_are_numbered_by_take_and_kind(self) -> None:
        with transaction() as session:
            first, second = self.take(session), self.take(session)
            made = []
            for take, kind in ((first, "merge"), (first, "merge"), (first, "mend"), (second, "merge")):
                product = Product(kind=kind, settings={"method": "select"}, task=Task(kind=kind, state="done"))
                stacks.add_product(session, take, product)
                made.append((take.number, kind, product.number))
        self.assertEqual(made, [(1, "merge", 1), (1, "merge", 2), (1, "mend", 1), (2, "merge", 1)])

    def test_a_merge_is_not_found_as_a_mend(self) -> None:
        with transaction() as session:
            product = Product(kind="merge", settings={"method": "select"}, task=Task(kind="merge", state="done"))
            take = self.take(session)
            stacks.add_product(session, take, product)
            self.assertIs(stacks.get_product(session, product.id, "merge"), product)
            with self.assertRaisesRegex(NotFound, "no mend"):
                stacks.get_product(session, product.id, "mend")
            session.expire(take)
            self.assertEqual([one.id for one in take.merges], [product.id])


class Sortings(StackTest):
    def test_a_sorting_like_the_latest_is_kept_once(self) -> None:
        def sorting(depth_um: float | None) -> Sorting:
            return Sorting(series=[{"frame_id": 1, "depth_um": depth_um}], left_out=[], depth_from=None)

        with transaction() as session:
            take = self.take(session)
            numbers = [stacks.keep_sorting(session, take, sorting(depth)).number for depth in (0.0, 0.0, None, 0.0)]
        self.assertEqual(numbers, [1, 1, 2, 3])


class Frames(StackTest):
    def test_the_same_file_twice_changes_nothing_and_another_of_its_name_is_refused(self) -> None:
        with transaction() as session:
            take = self.take(session)
            stacks.add_frame(session, take, frame("a.jpg"))
            stacks.add_frame(session, take, frame("a.jpg"))
            with self.assertRaisesRegex(Conflict, "another picture of that name"):
                stacks.add_frame(session, take, frame("a.jpg", "b" * 64))
            session.expire(take)
            self.assertEqual(len(take.frames), 1)

    def test_what_is_taken_over_keeps_where_it_was_reported(self) -> None:
        with transaction() as session:
            old, new = self.take(session), self.take(session)
            stacks.add_frame(session, old, frame("rung_0001.jpg", rung=0, planned_um=20.0, reported_um=22.5))
            session.expire(old)
            stacks.take_over(session, new, old.frames[0].id, rung=2, planned_um=20.0)
            session.expire(new)
            taken = new.frames[0]
            self.assertEqual((taken.name, taken.rung), ("rung_0003.jpg", 2))
            self.assertEqual((taken.planned_um, taken.reported_um), (20.0, 22.5))


class WhileItIsShot(StackTest):
    def test_a_second_take_is_refused_until_the_first_has_ended_however(self) -> None:
        for state in (*tasks.ENDED, "waiting", "running"):
            with transaction() as session:
                self.take(session, task=Task(kind=tasks.RUN, state=state))
                session.expire_all()
                stack = stacks.get_stack(session, self.stack_id)
                if state in tasks.ENDED:
                    stacks.refuse_while_shot(stack)
                else:
                    with self.assertRaisesRegex(Conflict, "being shot already"):
                        stacks.refuse_while_shot(stack)


if __name__ == "__main__":
    unittest.main()
