"""What reaches for the station from outside: pages elsewhere, addresses and folders that are none of its business."""

import tempfile
import threading
import unittest
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from typing import Any, ClassVar

from starlette.testclient import TestClient

from amber_ladder.api.app import create_app
from amber_ladder.launch.serve import SOURCE
from amber_ladder.settings import settings
from amber_ladder.work import plan
from tests.support.browser import chromium
from tests.support.examples import SPECIMEN
from tests.support.station import database, running
from tests.support.takes import new_stack


class ByAddress(unittest.TestCase):
    client: ClassVar[TestClient]

    @classmethod
    def setUpClass(cls) -> None:
        database()
        app = create_app(SOURCE / "web" / "dist")
        cls.client = TestClient(app, raise_server_exceptions=False, base_url="http://127.0.0.1:8080")

    def numbers(self) -> list[str]:
        rows = self.client.get("/api/specimens").json()["rows"]
        return [row["specimen"]["catalogue_number"] for row in rows]

    def test_under_a_name_that_merely_leads_here_nothing_is_read_or_changed(self) -> None:
        self.client.post("/api/specimens", json={**SPECIMEN, "catalogue_number": "SECRET-1"}).raise_for_status()
        for host in (
            "rebound.example",
            "rebound.example:8080",
            "127.0.0.1.example",
            "",
            "[",
            "127.0.0.1@rebound.example",
        ):
            with self.subTest(host):
                for answer in (
                    self.client.get("/api/specimens", headers={"Host": host}),
                    self.client.get("/", headers={"Host": host}),
                    self.client.post("/api/bench/halt", headers={"Host": host}),
                ):
                    self.assertEqual(answer.status_code, 421)
                    self.assertNotIn("SECRET-1", answer.text)
        for host in ("127.0.0.1:8080", "localhost:8080", "LOCALHOST", "[::1]:8080"):
            self.assertEqual(self.client.get("/api/specimens", headers={"Host": host}).status_code, 200)

    def test_only_the_stations_own_pages_change_anything(self) -> None:
        new = {**SPECIMEN, "catalogue_number": "FOREIGN-1"}
        for sent in (
            {"Origin": "http://elsewhere.example"},
            {"Origin": "http://127.0.0.1:9999"},  # another server of the same machine
            {"Origin": "null"},
            {"Sec-Fetch-Site": "cross-site"},
            {"Sec-Fetch-Site": "same-site", "Origin": "http://127.0.0.1:8080"},
        ):
            with self.subTest(str(sent)):
                self.assertEqual(self.client.post("/api/specimens", json=new, headers=sent).status_code, 403)
                self.assertEqual(self.client.post("/api/bench/ends", headers=sent).status_code, 403)
        self.assertNotIn("FOREIGN-1", self.numbers())
        own = {"Origin": "http://127.0.0.1:8080", "Sec-Fetch-Site": "same-origin"}
        self.assertEqual(self.client.post("/api/specimens", json=new, headers=own).status_code, 201)

    def test_browsers_are_told_what_a_page_of_the_station_may_do(self) -> None:
        for where in ("/", "/api/specimens", "/api/nowhere", "/assets/nothing.js"):
            sent = self.client.get(where).headers
            self.assertIn("frame-ancestors 'none'", sent["content-security-policy"])
            self.assertIn("default-src 'self'", sent["content-security-policy"])
            self.assertEqual(sent["x-content-type-options"], "nosniff")
            self.assertEqual(sent["referrer-policy"], "no-referrer")

    def test_a_rail_is_a_device_or_an_address_that_the_station_allows(self) -> None:
        with tempfile.NamedTemporaryFile("w+", dir="/tmp", suffix=".txt") as file:
            file.write("kept")
            file.flush()
            for rail in (
                f"spy:///dev/null?file={file.name}",
                "loop://",
                "alt:///dev/null",
                "hwgrep://.*",
                "rfc2217://127.0.0.1:5432",
                "socket://127.0.0.1:22",
                "socket://127.0.0.1:9?logging=debug",
                "socket://",
                "socket://[",
                file.name,
                f"/dev/..{file.name}",
                "/dev",
                "COM1",
            ):
                with self.subTest(rail):
                    refused = self.client.patch("/api/bench", json={"rail": rail})
                    self.assertEqual(refused.status_code, 422, refused.text)
                    self.assertEqual(refused.json()["fields"][0]["field"], "rail")
            file.seek(0)
            self.assertEqual(file.read(), "kept")
        self.assertEqual(self.client.get("/api/bench").json()["settings"]["rail"], "simulated")

    def test_folders_are_watched_only_where_the_station_allows_and_never_listed(self) -> None:
        with tempfile.TemporaryDirectory(dir="/tmp") as allowed:
            link, loop = Path(allowed) / "link", Path(allowed) / "loop"
            link.symlink_to("/etc")
            loop.symlink_to(loop)
            inside = settings().data / "originals"
            inside.mkdir(exist_ok=True)
            for folder in (
                "/etc",
                f"{allowed}/../../etc",
                str(link),
                str(loop),
                str(inside),
                str(settings().data),
                "/",
            ):
                with self.subTest(folder):
                    refused = self.client.patch("/api/bench", json={"folder": folder})
                    self.assertEqual(refused.status_code, 422, refused.text)
                    self.assertNotIn("passwd", refused.text)
            taken = self.client.patch("/api/bench", json={"folder": allowed})
            self.assertEqual(taken.status_code, 200)
            self.client.patch("/api/bench", json={"folder": ""}).raise_for_status()


class FromAnotherPage(unittest.TestCase):
    def test_a_page_elsewhere_moves_nothing_in_a_real_browser(self) -> None:
        station = running()
        page = b"<!doctype html><title>elsewhere</title>"

        class Elsewhere(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                self.send_response(200)
                self.send_header("Content-Type", "text/html")
                self.end_headers()
                self.wfile.write(page)

            def log_message(self, *_: Any) -> None:
                pass

        server = HTTPServer(("127.0.0.1", 0), Elsewhere)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        tab = chromium().new_page()
        self.addCleanup(tab.close)
        stack = new_stack("FOREIGN-2")
        tab.goto(f"http://127.0.0.1:{server.server_port}/")
        done = tab.evaluate(
            """async ([station, stack]) => {
              const read = await fetch(station + 'api/specimens').then(() => 'read', () => 'refused');
              await fetch(`${station}api/stacks/${stack}/takes`, { method: 'POST', mode: 'no-cors' }).catch(() => 0);
              return read;
            }""",
            [station.address, stack.id],
        )
        self.assertEqual(done, "refused")
        self.assertEqual(plan.read_stack(stack.id).takes, [])
        # The same request from a page of the station does open a take.
        tab.goto(f"{station.address}rigs")
        tab.evaluate("stack => fetch(`/api/stacks/${stack}/takes`, { method: 'POST' })", stack.id)
        self.assertEqual(len(plan.read_stack(stack.id).takes), 1)


if __name__ == "__main__":
    unittest.main()
