"""A database of the version before, brought up to this one, and back."""

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Any

import psycopg

from tests.support.station import database

_ALEMBIC = """
import sys
from pathlib import Path
from alembic import command
from alembic.config import Config
from amber_ladder.store import database
config = Config()
config.set_main_option("script_location", str(Path(database.__file__).parent / "migrations"))
getattr(command, sys.argv[1])(config, sys.argv[2])
"""
_BEFORE = """
insert into specimen (id, catalogue_number, name, kind, mount, medium, medium_index, locality, note, created_at)
    values (1, 'OLD-1', 'garnet', 'mineral', '', 'air', 1, '', '', now());
insert into rig (id, name, definition, parts, version, created_at, updated_at) values (1, 'r', '{}', '{}', 1, now(), now());
insert into stack (id, specimen_id, number, rig_id, rig_name, rig_version, rig, plan, cautions_read, created_at)
    values (1, 1, 1, 1, 'r', 1, '{}', '{}', '[]', now());
insert into task (id, kind, state, phase, done, total, message, stop_requested, created_at) values
    (1, 'run', 'done', '', 0, 0, '', false, now()), (2, 'run', 'done', '', 0, 0, '', false, now()),
    (3, 'shoot', 'done', '', 0, 0, '', false, now()), (4, 'merge', 'done', '', 0, 0, '', false, now()),
    (5, 'merge', 'failed', '', 0, 0, '', false, now()), (6, 'merge', 'done', '', 0, 0, '', false, now());
insert into take (id, stack_id, number, source, scene, task_id, complete, run, created_at) values
    (1, 1, 1, 'bench', 'garnet', 1, true, '{"positions_um": [0, 20]}', now()),
    (2, 1, 2, 'folder', null, 2, true, '{"folder": "/card", "simulated": true}', now()),
    (3, 1, 3, 'bench', 'garnet', 3, true, null, now()),
    (4, 1, 4, 'files', null, null, true, null, now());
insert into frame (id, take_id, place, name, sha256, suffix, bytes, width_px, height_px, bits, rung, position_um, faults)
    values (1, 1, 0, 'a.jpg', repeat('0', 64), '.jpg', 9, 64, 64, 8, 0, 12.5, '[]');
insert into merge (id, take_id, number, method, task_id, report, created_at) values
    (7, 1, 1, 'select', 4, '{"depth_um": 30.0, "version": "0.1.0"}', now()),
    (8, 1, 2, 'blend', 5, null, now()),
    (9, 2, 1, 'pyramid', 6, '{"depth_um": 44.0, "version": "0.1.0"}', now());
"""


class FromTheVersionBefore(unittest.TestCase):
    def setUp(self) -> None:
        station = database()
        self.data = Path(tempfile.mkdtemp(prefix="amber-ladder-before-"))
        name = f"before_{self._testMethodName[-30:]}"
        self.url = station.cluster.url.rsplit("/", 1)[0] + f"/{name}"
        with psycopg.connect(station.cluster.admin_url, autocommit=True) as connection:
            connection.execute(f"create database {name} owner station")
        self.alembic("upgrade", "0004")
        with psycopg.connect(self.url) as connection:
            connection.execute(_BEFORE)
        result = self.data / "merges" / "000007"
        result.mkdir(parents=True)
        (result / "composite.tif").write_bytes(b"as merged")

    def alembic(self, verb: str, to: str) -> None:
        environment = {**os.environ, "AMBER_LADDER_DATABASE_URL": self.url, "AMBER_LADDER_DATA": str(self.data)}
        command = [sys.executable, "-c", _ALEMBIC, verb, to]
        done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
        self.assertEqual(done.returncode, 0, done.stderr)

    def rows(self, query: str) -> list[tuple[Any, ...]]:
        with psycopg.connect(self.url) as connection:
            return connection.execute(query).fetchall()

    def test_up(self) -> None:
        self.alembic("upgrade", "head")
        self.assertEqual(self.rows("select planned_um, reported_um from frame"), [(12.5, None)])
        products = self.rows(
            "select id, kind, number, settings, files is null, version, sorting_id from product order by id"
        )
        self.assertEqual(
            products,
            [
                (7, "merge", 1, {"method": "select"}, False, "0.1.0", None),
                (8, "merge", 2, {"method": "blend"}, True, None, None),
                (9, "merge", 1, {"method": "pyramid"}, False, "0.1.0", None),
            ],
        )
        # The depth of the burst was invented: it is taken back, and said. That of the run stays.
        reports = dict(self.rows("select id, report from product where report is not null"))
        self.assertEqual(reports[7]["depth_um"], 30.0)
        self.assertIsNone(reports[9]["depth_um"])
        self.assertIn("nobody knows where these frames lie", reports[9]["warnings"][0])
        devices = dict(self.rows("select id, devices from take"))
        self.assertEqual(devices[1], {"rail": None, "camera": "simulated", "folder": None, "flaws": None})
        self.assertEqual((devices[2]["camera"], devices[2]["folder"]), ("simulated hand", "/card"))
        self.assertEqual((devices[3]["rail"], devices[3]["flaws"]), ("simulated", []))
        self.assertIsNone(devices[4])
        tasks = self.rows("select id, kind, stack_id from task order by id")
        self.assertEqual([one[1] for one in tasks], ["run", "run", "practice", "merge", "merge", "merge"])
        self.assertEqual({one[2] for one in tasks}, {1})
        self.assertEqual((self.data / "products" / "000007" / "composite.tif").read_bytes(), b"as merged")
        self.assertFalse((self.data / "merges").exists())
        # The next product gets a number that none of them has.
        made = self.rows("insert into product (kind, take_id, number, settings, task_id, created_at) "
                         "values ('merge', 4, 1, '{}', 4, now()) returning id")  # fmt: skip
        self.assertGreater(made[0][0], 9)

    def test_up_and_down_again(self) -> None:
        before = {name: self.rows(f"select * from {name} order by id") for name in ("frame", "take", "merge", "task")}
        self.alembic("upgrade", "head")
        self.alembic("downgrade", "0004")
        for name, rows in before.items():
            now = self.rows(f"select * from {name} order by id")
            if name == "merge":  # what was invented stays taken back
                self.assertEqual([row[:5] for row in now], [row[:5] for row in rows])
            else:
                self.assertEqual([json.dumps(row, default=str) for row in map(sorted_row, now)],
                                 [json.dumps(row, default=str) for row in map(sorted_row, rows)], name)  # fmt: skip
        self.assertTrue((self.data / "merges" / "000007" / "composite.tif").is_file())
        self.alembic("upgrade", "head")

    def test_down_to_nothing_and_up_again(self) -> None:
        self.alembic("upgrade", "head")
        self.alembic("downgrade", "base")
        left = self.rows(
            "select relname from pg_class where relnamespace = 'public'::regnamespace and relkind in ('r', 'S')"
        )
        self.assertEqual(left, [("alembic_version",)])
        self.alembic("upgrade", "head")
        self.assertEqual(self.rows("select count(*) from specimen"), [(0,)])


def sorted_row(row: tuple[Any, ...]) -> list[str]:
    """Columns that were taken away and added again stand elsewhere."""
    return sorted(str(one) for one in row)


if __name__ == "__main__":
    unittest.main()
