import os
import subprocess
import sys
import threading
import unittest
from concurrent.futures import ThreadPoolExecutor

import psycopg
from sqlalchemy import inspect

from amber_ladder.errors import Collided, Conflict, DatabaseAway
from amber_ladder.store import cards, specimens, stacks, tasks
from amber_ladder.store.base import Base
from amber_ladder.store.card_models import Card
from amber_ladder.store.database import engine, migrate, transaction
from amber_ladder.store.models import Frame, Specimen, Task
from amber_ladder.work.card import CardEntry, begin, read
from amber_ladder.work.deeds.discarding import DiscardEntry, discard
from tests.support.station import database
from tests.support.takes import new_stack, shot_stack


class Tables(unittest.TestCase):
    def setUp(self) -> None:
        self.station = database()

    def test_migrations_make_the_tables_of_the_models(self) -> None:
        migrate()  # a second time changes nothing
        found = inspect(engine())
        for table in Base.metadata.sorted_tables:
            columns = {column["name"] for column in found.get_columns(table.name)}
            self.assertEqual(columns, {column.name for column in table.columns}, table.name)

    def test_the_database_itself_refuses_what_no_entry_may_be(self) -> None:
        """Whoever writes past the application: a script, a repair by hand."""
        shot_stack()
        for change in (
            "update specimen set name = ''",
            "update specimen set medium_index = 'NaN'",
            "update specimen set depth_mm = -1",
            "update rig set flash_power = 2",
            "update take set source = 'tape'",
            "update frame set sha256 = upper(sha256) || 'x'",
            "update frame set width_px = 0",
            "update frame set bits = 12",
            "update stack set number = 0",
            "update task set done = -1",
        ):
            with psycopg.connect(self.station.cluster.url) as connection, self.subTest(change):
                with self.assertRaises((psycopg.errors.CheckViolation, psycopg.errors.StringDataRightTruncation)):
                    connection.execute(change)
                connection.rollback()

    def test_what_is_joined_has_an_index(self) -> None:
        """PostgreSQL makes none for foreign keys; without one, removing a row reads a whole table."""
        with psycopg.connect(self.station.cluster.url) as connection:
            without = connection.execute(
                "select c.conrelid::regclass::text, a.attname from pg_constraint c "
                "join pg_attribute a on a.attrelid = c.conrelid and a.attnum = c.conkey[1] "
                "where c.contype = 'f' and c.conrelid::regclass::text not like 'procrastinate%' and not exists "
                "(select from pg_index i where i.indrelid = c.conrelid and i.indkey[0] = c.conkey[1])"
            ).fetchall()
        self.assertEqual(without, [])

    def test_rigs_from_before_keep_their_first_version(self) -> None:
        name = "from_before"
        url = self.station.cluster.url.rsplit("/", 1)[0] + f"/{name}"
        with psycopg.connect(self.station.cluster.admin_url, autocommit=True) as connection:
            connection.execute(f"create database {name} owner station")
        script = """
from pathlib import Path
from alembic import command
from alembic.config import Config
from sqlalchemy import text
from amber_ladder.store import database
config = Config()
config.set_main_option("script_location", str(Path(database.__file__).parent / "migrations"))
command.upgrade(config, "0002")
with database.engine().begin() as old:
    old.execute(text("insert into rig (name, definition, created_at, updated_at) values ('old', '{}', now(), now())"))
command.upgrade(config, "head")
with database.engine().connect() as new:
    print(new.execute(text("select number, name from rig_version")).all(), new.execute(text("select version from rig")).all())
"""
        environment = {**os.environ, "AMBER_LADDER_DATABASE_URL": url}
        result = subprocess.run(
            [sys.executable, "-c", script], env=environment, capture_output=True, text=True, check=False
        )
        self.assertEqual(result.stdout.strip(), "[(1, 'old')] [(1,)]", result.stderr)

    def test_search_takes_what_is_typed_literally(self) -> None:
        with transaction() as session:
            for number, name in (("S-1", "100% garnet"), ("S-2", "garnet_b"), ("S-3", "graupel")):
                specimens.save(session, Specimen(catalogue_number=number, name=name, kind="mineral"))
        for words, numbers in (("garnet", {"S-1", "S-2"}), ("%", {"S-1"}), ("t_b", {"S-2"}), ("GRAU s-3", {"S-3"})):
            with transaction() as session:
                found = {one.catalogue_number for one in specimens.find(session, words=words)}
            self.assertEqual(found, numbers, words)

    def test_a_taken_catalogue_number_is_a_conflict(self) -> None:
        with self.assertRaisesRegex(Conflict, "T-9 is taken"):
            for _ in range(2):
                with transaction() as session:
                    specimens.save(session, Specimen(catalogue_number="T-9", name="twice", kind="snow"))

    def test_a_stopped_database_is_named_and_work_goes_on_after_it_is_back(self) -> None:
        self.station.cluster.stop(at_once=True)
        with self.assertRaisesRegex(DatabaseAway, "does not answer"), transaction() as session:
            specimens.kinds(session)
        self.station.cluster.start()
        with transaction() as session:
            specimens.kinds(session)


class ThrownAwayMeanwhile(unittest.TestCase):
    def test_a_steady_look_goes_from_row_to_row_though_they_are_thrown_away(self) -> None:
        take = shot_stack("STEADY-1").takes[0]
        with transaction(steady=True) as session:
            frame = session.get(Frame, take.frames[0].id)
            assert frame is not None
            discard(DiscardEntry(kind="take", id=take.id, why="in the way"))
            self.assertEqual(len(frame.take.frames), len(take.frames))
        with transaction() as session:
            frame = session.get(Frame, take.frames[0].id)
            self.assertTrue(frame is None or frame.take is None)


class WaitingForEachOther(unittest.TestCase):
    def test_one_of_two_changes_that_wait_for_each_other_is_told_to_try_again(self) -> None:
        """PostgreSQL gives up one of them: that is no database that does not answer."""
        database()
        rows = [new_stack(number, far_um=700).specimen.id for number in ("WAITS-1", "WAITS-2")]
        both_have_one = threading.Barrier(2)

        def change(first: int, second: int) -> None:
            with transaction() as session:
                session.get_one(Specimen, first, with_for_update=True)
                both_have_one.wait()
                session.get_one(Specimen, second, with_for_update=True)

        with ThreadPoolExecutor(2) as pool:
            ended = [pool.submit(change, *rows), pool.submit(change, *reversed(rows))]
            told = [one.exception() for one in ended]
        self.assertEqual(sorted(type(one) for one in told if one), [Collided] if None in told else [])
        self.assertIn("try again", str(next(one for one in told if one)))

    def test_a_card_can_be_changed_while_its_task_ends(self) -> None:
        """The end of a task has the task and waits for the card: what has the card must not wait for the task."""
        database()
        with transaction() as session:
            task = Task(kind="card")
            card = Card(name="CHANGED WHILE IT IS LOOKED AT", task=task)
            session.add(card)
            session.flush()
        has_task, has_card = threading.Event(), threading.Event()

        def end() -> None:
            with transaction() as session:
                mine = tasks.held(session, task.id, task.attempt)
                has_task.set()
                has_card.wait()
                cards.get(session, card.id, locked=True).found = {"order": []}
                tasks.end(session, mine, "done")

        def change() -> None:
            with transaction() as session:
                found = cards.get(session, card.id, locked=True)
                has_card.set()
                has_task.wait()
                # Written a second time, a row has what it points at looked up once more.
                for edits in ({"kept": [1]}, {"kept": [2]}):
                    found.edits = edits
                    session.flush()

        with ThreadPoolExecutor(2) as pool:
            for one in [pool.submit(end), pool.submit(change)]:
                one.result()
        with transaction() as session:
            kept = cards.get(session, card.id)
            self.assertEqual((kept.edits, kept.found), ({"kept": [2]}, {"order": []}))
            self.assertEqual(stacks.get_task(session, task.id).state, "done")

    def test_a_card_is_read_while_somebody_changes_it(self) -> None:
        database()
        number = begin(CardEntry(name="READ WHILE IT IS CHANGED")).id
        with ThreadPoolExecutor(1) as pool, transaction() as session:
            cards.get(session, number, locked=True).name = "CHANGED"
            session.flush()
            self.assertEqual(pool.submit(read, number).result(timeout=30).name, "READ WHILE IT IS CHANGED")


if __name__ == "__main__":
    unittest.main()
