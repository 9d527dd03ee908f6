"""Damaged originals heal; odd requests are refused in words; a silent rail holds nobody up."""

import shutil
import socket
import threading
import time
import unittest
from concurrent.futures import ThreadPoolExecutor
from typing import ClassVar
from unittest.mock import patch

from starlette.testclient import TestClient

from amber_ladder.api import bodies
from amber_ladder.api.app import create_app
from amber_ladder.formats.pictures import natural_key
from amber_ladder.launch.serve import SOURCE
from amber_ladder.settings import settings
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work.shoot import Bench, BenchChange
from tests.support.examples import PLAN, RIG, SPECIMEN
from tests.support.station import database, until
from tests.support.takes import new_stack


class Originals(unittest.TestCase):
    def test_a_damaged_one_is_replaced_by_the_good_one_that_comes_again(self) -> None:
        database()
        store = FrameStore(settings().data)
        path = store.adopt(store.receive([b"a good frame"]), ".jpg")
        path.chmod(0o644)
        path.write_bytes(b"a g__d frame")
        again = store.adopt(store.receive([b"a good ", b"frame"]), ".jpg")
        self.assertEqual((again, path.read_bytes()), (path, b"a good frame"))
        kept = path.stat().st_ino
        store.adopt(store.receive([b"a good frame"]), ".jpg")  # a good one stays as it is
        self.assertEqual(path.stat().st_ino, kept)


class OddRequests(unittest.TestCase):
    client: ClassVar[TestClient]

    @classmethod
    def setUpClass(cls) -> None:
        database()
        app = create_app(SOURCE / "web" / "dist")
        cls.client = TestClient(app, raise_server_exceptions=False, base_url="http://127.0.0.1:8080")

    def test_numbers_that_no_row_can_have_are_not_found(self) -> None:
        for number in (2**31, 2**63, 2**80, -(2**40)):
            for where in ("stacks", "specimens", "merges"):
                address = f"/api/{where}/{number}" + ("/label" if where == "merges" else "")
                self.assertIn(self.client.get(address).status_code, (404, 422), address)

    def test_a_name_that_is_taken_cannot_be_given_again(self) -> None:
        part = {"name": "taken rail", "part": {"kind": "rail", "click_um": 2.5}}
        for where, entry, name in (
            ("specimens", {**SPECIMEN, "catalogue_number": "TAKEN-1"}, "catalogue_number"),
            ("rigs", {**RIG, "name": "taken rig"}, "name"),
            ("parts", part, "name"),
        ):
            with self.subTest(where):
                self.client.post(f"/api/{where}", json=entry)
                other = self.client.post(f"/api/{where}", json={**entry, name: "another"}).json()
                for refused in (
                    self.client.put(f"/api/{where}/{other['id']}", json=entry),
                    self.client.post(f"/api/{where}", json=entry),
                ):
                    self.assertEqual(refused.status_code, 409)
                    self.assertRegex(refused.json()["message"], "[Tt]aken .*choose another|taken already")

    def test_a_character_that_cannot_be_kept_is_named(self) -> None:
        refused = self.client.post("/api/specimens", json={**SPECIMEN, "catalogue_number": "NUL-1", "note": "a\x00b"})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("NUL", refused.json()["message"])

    def test_true_and_false_are_no_numbers(self) -> None:
        for body in ({"to_um": False}, {"by_um": True}):
            refused = self.client.post("/api/bench/move", json=body)
            self.assertEqual(refused.status_code, 422)
            self.assertIn("must be a number", refused.json()["message"])
        kept = self.client.patch("/api/bench", json={"reshoots": True})
        self.assertEqual(kept.status_code, 422)

    def test_figures_that_lead_nowhere_are_refused(self) -> None:
        rig = {**RIG, "sensor": {**RIG["sensor"], "pixel_um": 5e-324}}
        for where, body in (
            ("rigs/preview", {**rig, "name": "tiny"}),
            ("plan/preview", {"rig": {key: rig[key] for key in ("sensor", "train")}, "plan": PLAN, "subject": {}}),
        ):
            answer = self.client.post(f"/api/{where}", json=body)
            self.assertLess(answer.status_code, 500, answer.text)

    def test_an_upload_without_end_is_cut_short(self) -> None:
        stack = new_stack("ENDLESS-1")
        take = self.client.post(f"/api/stacks/{stack.id}/takes").json()["id"]
        with patch.object(bodies, "MOST_BYTES", 3_000_000):
            answer = self.client.put(f"/api/takes/{take}/frames/endless.jpg", content=bytes(3_000_001))
        self.assertEqual(answer.status_code, 413)
        self.assertIn("larger than", answer.json()["message"])
        self.assertEqual(list((settings().data / "arriving").glob("*")), [])

    def test_a_package_larger_than_the_room_is_cut_short(self) -> None:
        room = shutil.disk_usage("/")._replace(free=4_000_000)
        with patch("amber_ladder.api.bodies.shutil.disk_usage", lambda _folder: room):
            answer = self.client.post("/api/packages/received", content=bytes(2_000_001))
        self.assertEqual(answer.status_code, 413)
        self.assertIn("free some space", answer.json()["message"])
        self.assertEqual(list((settings().data / "arriving").glob("*")), [])

    def test_a_method_that_an_address_does_not_take_is_said_to_be_that(self) -> None:
        self.assertEqual(self.client.get("/api/bench/halt").status_code, 405)
        self.assertEqual(self.client.delete("/api/specimens").status_code, 405)
        self.assertEqual(self.client.get("/api/nowhere").status_code, 404)

    def test_a_name_with_a_raised_digit_is_sorted_like_any_other(self) -> None:
        names = ["a10.jpg", "a²3.jpg", "a9.jpg"]
        self.assertEqual(sorted(names, key=natural_key), ["a9.jpg", "a10.jpg", "a²3.jpg"])


class SilentRail(unittest.TestCase):
    def test_who_looks_at_the_bench_does_not_wait_for_it(self) -> None:
        database()
        # A listener that takes the connection and never says a word.
        silent = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(silent.close)
        held = list[socket.socket]()

        def take() -> None:
            try:
                while True:
                    held.append(silent.accept()[0])
            except OSError:
                pass

        threading.Thread(target=take, daemon=True).start()
        before = settings().rail_port
        settings().rail_port = silent.getsockname()[1]
        self.addCleanup(setattr, settings(), "rail_port", before)
        bench = Bench()
        self.addCleanup(bench.close)
        bench.change(BenchChange(rail="simulated"))
        until(lambda: bench.view().rail.trouble is not None, "the rail to be found silent")
        began = time.monotonic()
        with ThreadPoolExecutor(9) as many:
            looks = list(many.map(lambda _: bench.view().rail, range(45)))
        # One try takes over two seconds: 45 of them, one after the other, took a minute and a half.
        self.assertLess(time.monotonic() - began, 45)
        self.assertTrue(all(look.trouble and look.trouble_since for look in looks))
        self.assertEqual(len({look.trouble_since for look in looks}), 1)


if __name__ == "__main__":
    unittest.main()
