"""Many readers, long takes, tall ladders: what a long day brings."""

import json
import socket
import unittest
from contextlib import closing
from typing import BinaryIO

import psycopg
from sqlalchemy import event

from amber_ladder.store.database import transaction
from amber_ladder.store.models import Frame
from amber_ladder.store.stacks import get_take
from amber_ladder.work import cabinet, shoot
from amber_ladder.work.plan import bench_sheet
from tests.support.examples import SPECIMEN, picture
from tests.support.station import database, running, until
from tests.support.takes import new_stack


class Readers(unittest.TestCase):
    def test_of_150_who_listen_none_holds_a_connection_of_its_own_and_all_hear(self) -> None:
        station = running()
        readers = []
        for _ in range(150):
            line = socket.create_connection(("127.0.0.1", station.port))
            self.addCleanup(line.close)
            line.sendall(b"GET /api/events HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
            readers.append(line.makefile("rb"))
        for reader in readers:
            self.addCleanup(reader.close)
            self.find(reader, b": still here")
        with psycopg.connect(station.cluster.admin_url) as connection:
            listening = connection.execute(
                "select count(*) from pg_stat_activity where query like 'listen amber%'"
            ).fetchone()
        self.assertEqual(listening, (1,))
        cabinet.add_specimen(cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": "MANY-1"}))
        for reader in readers:
            self.find(reader, b"event: deed")
            self.assertIn("id", json.loads(reader.readline().removeprefix(b"data: ")))

    def find(self, reader: BinaryIO, start: bytes) -> None:
        for line in reader:
            if line.startswith(start):
                return
        self.fail(f"the line ended without {start!r}")

    def test_they_hear_again_after_the_database_was_started_anew(self) -> None:
        station = running()
        with closing(socket.create_connection(("127.0.0.1", station.port))) as line:
            line.sendall(b"GET /api/events HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n")
            lines = line.makefile("rb")
            self.find(lines, b": still here")
            station.cluster.stop(at_once=True)
            while lines.readline():
                pass  # the line ends, so that the browser connects again and fetches what it missed
            lines.close()
        station.keep_up()
        with psycopg.connect(station.cluster.admin_url) as connection:

            def held() -> bool:
                row = connection.execute(
                    "select count(*) from pg_locks where locktype = 'advisory' and granted"
                ).fetchone()
                return row == (1,)

            until(held, "the worker to take its lock again")


class LongTakes(unittest.TestCase):
    def test_a_frame_more_reads_no_more_of_the_take_than_itself(self) -> None:
        database()
        stack = new_stack("MANY-2")
        take = shoot.begin_files(stack.id)
        with transaction() as session:
            stored = get_take(session, take.id)
            session.add_all(
                Frame(take_id=stored.id, place=i, name=f"f{i}.jpg", sha256=f"{i:064x}", suffix=".jpg", bytes=1,
                      width_px=8, height_px=8, bits=8)
                for i in range(3000)
            )  # fmt: skip
        loaded = list[Frame]()

        def count(frame: Frame, _context: object) -> None:
            loaded.append(frame)

        event.listen(Frame, "load", count)
        self.addCleanup(event.remove, Frame, "load", count)
        view = shoot.add_file(take.id, "new.jpg", [picture()])
        self.assertEqual((view.place, view.name), (3000, "new.jpg"))
        self.assertEqual(shoot.add_file(take.id, "new.jpg", [picture()]).id, view.id)
        self.assertLessEqual(len(loaded), 1)

    def test_the_bench_sheet_of_3000_rungs_draws_what_can_be_told_apart(self) -> None:
        database()
        stack = new_stack("MANY-3", far_um=15_000, step_um=5.0)
        self.assertGreater(stack.ladder.frames, 3000)
        page = bench_sheet.html(stack.id)
        self.assertIn("one rung of 8", page)
        self.assertLess(page.count("<rect"), 450)  # 3,000 took 5.5 s to print, these 1.6 s
        content, _ = bench_sheet.pdf(stack.id)
        self.assertTrue(content.startswith(b"%PDF"))


if __name__ == "__main__":
    unittest.main()
