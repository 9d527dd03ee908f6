"""What happened to a stack is written once, in one order, whoever writes at the same time, and altered by nobody."""

import unittest
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from sqlalchemy import text
from sqlalchemy.exc import InternalError, ProgrammingError

from amber_ladder.core.history import faults_of
from amber_ladder.errors import Conflict
from amber_ladder.store import history
from amber_ladder.store.database import transaction
from amber_ladder.work import plan
from amber_ladder.work.record import record
from tests.support.station import database
from tests.support.takes import a_merge, new_stack, shot_stack


def told(stack_id: int) -> list[dict[str, Any]]:
    with transaction() as session:
        return [one.as_json() for one in history.of_stack(session, stack_id)]


class Histories(unittest.TestCase):
    def setUp(self) -> None:
        database()

    def test_figures_come_back_to_the_last_digit(self) -> None:
        stack = new_stack("HIST-1")
        with transaction() as session:
            history.note(session, stack.id, "corrected", "a trial", {"a": -0.0, "b": 1e22, "c": 0.1 + 0.2, "d": 1.0})
        chain = told(stack.id)
        self.assertEqual([one["did"] for one in chain], ["planned", "corrected"])
        self.assertEqual(repr(chain[1]["facts"]), "{'a': -0.0, 'b': 1e+22, 'c': 0.30000000000000004, 'd': 1.0}")
        self.assertEqual(faults_of(chain), [])

    def test_many_who_write_at_once_make_one_chain(self) -> None:
        stack = new_stack("HIST-2")

        def write(number: int) -> None:
            with transaction() as session:
                history.note(session, stack.id, "corrected", f"trial {number}")

        with ThreadPoolExecutor(8) as pool:
            list(pool.map(write, range(40)))
        chain = told(stack.id)
        self.assertEqual(len(chain), 41)
        self.assertEqual(faults_of(chain), [])
        self.assertEqual({one["words"] for one in chain[1:]}, {f"trial {number}" for number in range(40)})

    def test_the_database_alters_none(self) -> None:
        stack = new_stack("HIST-3")
        with self.assertRaisesRegex((InternalError, ProgrammingError), "never altered"), transaction() as session:
            session.execute(text("update history_entry set words = 'other' where stack_id = :id"), {"id": stack.id})

    def test_what_fails_is_not_written(self) -> None:
        stack = new_stack("HIST-4")
        with self.assertRaises(Conflict), transaction() as session:
            history.note(session, stack.id, "corrected", "a trial")
            raise Conflict("no")
        self.assertEqual(len(told(stack.id)), 1)

    def test_shot_and_merged_with_the_sums_of_what_was_made(self) -> None:
        stack = shot_stack("HIST-5")
        done = a_merge(stack.takes[0].id)
        chain = told(stack.id)
        self.assertEqual([one["did"] for one in chain][:2], ["planned", "shot"])
        self.assertEqual(chain[-1]["did"], "merged")
        frames = chain[1]["facts"]["frames"]
        self.assertEqual([one["sha256"] for one in frames], [one.sha256 for one in stack.takes[0].frames])
        self.assertEqual(set(chain[-1]["facts"]["files"]), {"composite.tif", "depth.tif", "depth_u.tif", "report.json"})
        self.assertEqual({len(one) for one in chain[-1]["facts"]["files"].values()}, {64})
        content, _ = record(done.id)
        self.assertEqual(content["history"], chain)
        self.assertEqual(faults_of(content["history"]), [])

    def test_a_stack_of_before_begins_with_what_was_known(self) -> None:
        stack = new_stack("HIST-6")
        with transaction() as session:
            session.execute(text("delete from history_entry where stack_id = :id"), {"id": stack.id})
        plan.set_ends(stack.id, plan.EndsEntry(near_um=1, far_um=500))
        opened, planned = told(stack.id)
        self.assertEqual((opened["did"], planned["did"]), ("opened", "planned"))
        self.assertIn("stack 1 of HIST-6 planned", [one["did"] for one in opened["facts"]["earlier"]])
