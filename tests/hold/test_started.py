"""Starting, upgrading and ending a station, well and with bad luck; and what it tells those who are asked for help."""

import json
import os
import shutil
import signal
import stat
import subprocess
import sys
import sysconfig
import tempfile
import time
import unittest
import urllib.request
from pathlib import Path

import psycopg

from amber_ladder.launch.postgres import Cluster, free_port
from amber_ladder.launch.serve import SOURCE
from amber_ladder.store import database as store
from tests.support.examples import RIG, picture
from tests.support.station import until

_LADDER = [sys.executable, "-m", "amber_ladder.launch"]
_FAILING = """
from alembic import op
revision = "9999"
down_revision = "{head}"
branch_labels = None
depends_on = None
def upgrade():
    op.execute("create table half_made (id int)")
    op.execute("commit")
    op.execute("select 1 / 0")
"""


class Own(unittest.TestCase):
    """A station of its own in a folder of its own."""

    def setUp(self) -> None:
        self.data = Path(tempfile.mkdtemp(prefix="amber-ladder-own-", dir="/tmp")) / "data"
        self.data.parent.chmod(0o755)
        self.addCleanup(shutil.rmtree, self.data.parent, ignore_errors=True)
        self.environment = {**os.environ, "AMBER_LADDER_DATA": str(self.data), "PYTHONPATH": str(SOURCE / "src"),
                            "AMBER_LADDER_PAGES": str(SOURCE / "web" / "dist")}  # fmt: skip
        self.environment.pop("AMBER_LADDER_DATABASE_URL", None)

    def start(self, command: str) -> subprocess.Popen[str]:
        station = subprocess.Popen([*_LADDER, command, "--port", "0"], env=self.environment, stdout=subprocess.PIPE,
                                   stderr=subprocess.STDOUT, text=True)  # fmt: skip
        self.addCleanup(station.wait)
        self.addCleanup(station.kill)
        assert station.stdout is not None
        self.addCleanup(station.stdout.close)
        return station

    def said(self, station: subprocess.Popen[str], words: str) -> str:
        assert station.stdout is not None
        found = next((line for line in station.stdout if words in line), None)
        assert found is not None, f"it ended without saying {words!r}"
        return found

    def ladder(self, *arguments: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run([*_LADDER, *arguments], env=self.environment, capture_output=True, text=True, check=False)


class Starting(Own):
    def test_ctrl_c_while_the_demo_loads_ends_it_and_the_next_start_goes_on(self) -> None:
        station = self.start("demo")
        self.said(station, "Shooting and merging")
        station.send_signal(signal.SIGINT)
        began = time.monotonic()
        self.assertEqual(station.wait(45), 0)
        self.assertLess(time.monotonic() - began, 40)  # the load takes a minute and more
        self.assertTrue((self.data / "demo-loading").exists())
        again = self.start("demo")
        # What is there already is left as it is: all of it again would end in names that are taken.
        self.said(again, "Loading the demo field station")
        self.said(again, "Shooting and merging")
        again.send_signal(signal.SIGINT)
        self.assertEqual(again.wait(60), 0)

    def test_after_kill_9_of_the_launcher_the_next_start_cleans_up_and_keeps_to_itself(self) -> None:
        station = self.start("start")
        self.said(station, "ready at")
        (self.data / "arriving" / "half").write_bytes(b"half")
        (self.data / "products" / ".000001.abc").mkdir()
        station.kill()
        station.wait()
        again = self.start("start")
        self.said(again, "ready at")
        self.assertEqual(list((self.data / "arriving").iterdir()), [])
        self.assertEqual(list((self.data / "products").iterdir()), [])
        self.assertEqual(stat.S_IMODE(self.data.stat().st_mode), 0o711 if os.geteuid() == 0 else 0o700)
        for name in ("originals", "arriving", "products", "tiles", "logs"):
            self.assertEqual(stat.S_IMODE((self.data / name).stat().st_mode), 0o700, name)
        for path in self.data.rglob("*"):
            if path.is_file() and "postgres" not in path.parts:
                self.assertEqual(stat.S_IMODE(path.stat().st_mode) & 0o077, 0, path)
        written = self.data.parent / "report.txt"
        done = self.ladder("report", str(written))
        self.assertEqual(done.returncode, 0, done.stderr)
        text = written.read_text()
        for part in ("Amber Ladder 0.", "== doctor\nall is sound", "== server.log", "== launcher.log", "ready at",
                     "== database/"):  # fmt: skip
            self.assertIn(part, text)
        (database_log,) = (self.data / "logs" / "database").glob("*.log")
        self.assertIn("ready to accept connections", database_log.read_text())

    def test_what_was_discarded_long_ago_goes_for_good_where_the_station_says_so(self) -> None:
        self.environment["AMBER_LADDER_REMOVE_DISCARDED"] = "1"
        station = self.start("start")
        address = self.said(station, "ready at").split(" at ")[1].split()[0]

        def post(path: str, entry: object) -> int:
            sent = urllib.request.Request(f"{address}api/{path}", json.dumps(entry).encode(),
                                          {"Content-Type": "application/json"})  # fmt: skip
            with urllib.request.urlopen(sent) as answer:
                return int(json.load(answer)["id"])

        for name in ("of long ago", "of late"):
            post("discards", {"kind": "rig", "id": post("rigs", {**RIG, "name": name}), "why": "taken apart"})
        cluster = Cluster(self.data / "postgres")
        cluster.join()
        with psycopg.connect(cluster.url) as connection:
            connection.execute("update discard set at = at - interval '31 days' where what like '%long ago%'")
        station.send_signal(signal.SIGTERM)
        self.assertEqual(station.wait(60), 0)
        again = self.start("start")
        self.said(again, "ready at")
        cluster.join()
        with psycopg.connect(cluster.url, autocommit=True) as connection:
            until(
                lambda: connection.execute("select name from rig").fetchall() == [("of late",)],
                "the day's tidying",
            )

    def test_a_database_that_cannot_start_is_waited_for(self) -> None:
        """The disk that fills is stood for by a cluster that cannot be read; the launcher neither ends nor shouts."""
        station = self.start("start")
        self.said(station, "ready at")
        cluster = self.data / "postgres" / "cluster"
        pid = int((cluster / "postmaster.pid").read_text().splitlines()[0])
        (cluster / "PG_VERSION").rename(cluster / "PG_VERSION.away")
        (cluster / "global").rename(cluster / "global.away")
        (cluster / "PG_VERSION.away").rename(cluster / "PG_VERSION")
        os.kill(pid, signal.SIGQUIT)
        self.assertNotIn("Traceback", self.said(station, "tried again until it works"))
        self.assertIsNone(station.poll())
        (cluster / "global.away").rename(cluster / "global")
        self.said(station, "It works again.")
        station.send_signal(signal.SIGTERM)
        self.assertEqual(station.wait(60), 0)


class NotAsRoot(Own):
    def test_server_and_worker_of_a_station_that_root_starts_are_a_users(self) -> None:
        if os.geteuid() != 0:
            self.skipTest("only root can give its processes away")
        # An interpreter below /root is no other user's; Debian's own is.
        python = sys.executable if not Path(sys.executable).resolve().is_relative_to("/root") else "/usr/bin/python3"
        packages = sysconfig.get_path("purelib")
        environment = {**self.environment, "PYTHONPATH": f"{SOURCE / 'src'}:{packages}"}
        station = subprocess.Popen([python, "-m", "amber_ladder.launch", "start", "--port", "0"], env=environment,
                                   stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)  # fmt: skip
        self.addCleanup(station.wait)
        self.addCleanup(station.kill)
        assert station.stdout is not None
        self.addCleanup(station.stdout.close)
        address = self.said(station, "ready at").split(" at ")[1].split()[0]
        found = subprocess.run(["ps", "-o", "uid=,args=", "--ppid", str(station.pid)], capture_output=True, text=True,
                               check=True).stdout  # fmt: skip
        children = [line.split(maxsplit=1) for line in found.splitlines() if "-m" in line]
        self.assertEqual(len(children), 3, found)
        self.assertNotIn("0", [uid for uid, _ in children], found)
        owner = self.data.stat().st_uid
        self.assertEqual({int(uid) for uid, _ in children}, {owner})
        with urllib.request.urlopen(f"{address}api/rigs") as answer:
            self.assertEqual(json.load(answer), [])
        rig = urllib.request.Request(
            f"{address}api/rigs", json.dumps(RIG).encode(), {"Content-Type": "application/json"}
        )
        with urllib.request.urlopen(rig) as answer:
            number = json.load(answer)["id"]
        sent = urllib.request.Request(f"{address}api/rigs/{number}/scale-pictures/a.png", picture(384, 256, kind="PNG"),
                                      method="PUT")  # fmt: skip
        with urllib.request.urlopen(sent) as answer:
            self.assertEqual(answer.status, 201)
        (kept,) = self.data.glob("originals/*/*.png")
        self.assertEqual((kept.stat().st_uid, stat.S_IMODE(kept.stat().st_mode)), (owner, 0o400))
        # Beside it root makes a backup, and what that notes can be read by the server.
        done = subprocess.run([python, "-m", "amber_ladder.launch", "backup", str(self.data.parent / "backup")],
                              env=environment, capture_output=True, text=True, check=False)  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual((self.data / "last-backup.json").stat().st_uid, owner)


class Upgrading(Own):
    def setUp(self) -> None:
        super().setUp()
        self.data.mkdir()
        self.data.chmod(0o711)
        self.cluster = Cluster(self.data / "postgres", durable=False)
        self.cluster.port = free_port(0)
        self.cluster.start()
        self.addCleanup(self.cluster.stop)
        self.migrations = self.data.parent / "migrations"
        shutil.copytree(Path(store.__file__).parent / "migrations", self.migrations)

    def upgrade(self) -> str:
        """In a process of its own, as a start does it: this one is pointed at another database."""
        code = f"""
from pathlib import Path
from amber_ladder.errors import AmberLadderError
from amber_ladder.launch.postgres import Cluster
from amber_ladder.launch.upgrade import upgrade
cluster = Cluster(Path({str(self.data / "postgres")!r}))
cluster.join()
try:
    upgrade(cluster, Path({str(self.data)!r}), print, Path({str(self.migrations)!r}))
except AmberLadderError as error:
    print("refused:", error)
"""
        environment = {**self.environment, "AMBER_LADDER_DATABASE_URL": self.cluster.url}
        done = subprocess.run(
            [sys.executable, "-c", code], env=environment, capture_output=True, text=True, check=False
        )
        self.assertEqual(done.stderr, "")
        return done.stdout

    def rows(self, query: str) -> list[tuple[object, ...]]:
        with psycopg.connect(self.cluster.url) as connection:
            return connection.execute(query).fetchall()

    def test_a_migration_that_fails_leaves_all_as_it_was_even_if_it_has_committed(self) -> None:
        self.assertEqual(self.upgrade(), "")  # an empty database is not worth a copy
        with psycopg.connect(self.cluster.url) as connection:
            connection.execute("insert into specimen (catalogue_number, name, kind, mount, medium, medium_index, locality, "
                               "note, revision, created_at, collector, collected_on, determination, determined_by, "
                               "determined_on) values ('UP-1', 'garnet', 'mineral', '', 'air', 1, '', '', 1, now(), "
                               "'', '', '', '', '')")  # fmt: skip
        head = self.rows("select version_num from alembic_version")
        failing = self.migrations / "versions" / "9999_failing.py"
        failing.write_text(_FAILING.format(head=head[0][0]))
        said = self.upgrade()
        self.assertIn("refused: the database could not be brought to version", said)
        self.assertIn("start the version before", said)
        self.assertEqual(self.rows("select version_num from alembic_version"), head)
        self.assertEqual(self.rows("select catalogue_number from specimen"), [("UP-1",)])
        self.assertEqual(self.rows("select to_regclass('half_made')"), [(None,)])
        failing.write_text(_FAILING.format(head=head[0][0]).split('    op.execute("commit")')[0])
        self.assertIn("as it was before it lies in", self.upgrade())
        self.assertEqual(len(list((self.data / "before-upgrade").glob("*.dump"))), 2)
        failing.unlink()
        self.assertIn("used by a newer version", self.upgrade())

    def test_the_servers_role_owns_its_database_and_nothing_else(self) -> None:
        self.upgrade()
        with psycopg.connect(self.cluster.url, autocommit=True) as connection:
            for refused in (
                "create database another",
                "create role another",
                "copy specimen to program 'id'",
                "select pg_read_file('/etc/hostname')",
                "select * from pg_authid",
            ):
                with self.subTest(refused), self.assertRaises(psycopg.errors.InsufficientPrivilege):
                    connection.execute(refused)
        for other in ("postgres", "template1"):
            with self.assertRaises(psycopg.OperationalError):
                psycopg.connect(self.cluster.url.rsplit("/", 1)[0] + f"/{other}")

    def test_a_database_of_before_is_given_to_the_role(self) -> None:
        self.upgrade()
        with psycopg.connect(self.cluster.admin_url, autocommit=True) as connection:
            connection.execute("alter database amber_ladder owner to amber_ladder")
            for (name,) in connection.execute(
                "select c.oid::regclass::text from pg_class c join pg_namespace n on n.oid = c.relnamespace "
                "where n.nspname = 'public' and c.relkind = 'r'"
            ).fetchall():
                connection.execute(f"alter table {name} owner to amber_ladder")
        self.cluster.stop()
        self.cluster.start()
        self.assertEqual(self.rows("select count(*) from specimen"), [(0,)])
        with psycopg.connect(self.cluster.url) as connection:
            connection.execute("alter table specimen add column another int")
            connection.rollback()


if __name__ == "__main__":
    unittest.main()
