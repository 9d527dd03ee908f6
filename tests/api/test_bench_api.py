"""The bench over HTTP on the running station: the live stream, and refusals with their codes."""

import json
import unittest
from typing import Any, ClassVar

import httpx

from tests.support.examples import PLAN, RIG, SPECIMEN
from tests.support.station import running, until


class BenchOverHttp(unittest.TestCase):
    http: ClassVar[httpx.Client]
    stack_id: ClassVar[int]

    @classmethod
    def setUpClass(cls) -> None:
        cls.http = httpx.Client(base_url=running().address, timeout=60.0)
        cls.addClassCleanup(cls.http.close)
        specimen = cls.http.post("/api/specimens", json={**SPECIMEN, "catalogue_number": "API-B"}).json()
        rig = cls.http.post("/api/rigs", json={**RIG, "name": "bench api", "working_distance_mm": 20}).json()
        entry = {"rig_id": rig["id"], "plan": {**PLAN, "near_um": 1000, "far_um": 1100}}
        cls.stack_id = cls.http.post(f"/api/specimens/{specimen['id']}/stacks", json=entry).json()["id"]
        until(lambda: cls.bench()["rail"]["position_um"] is not None, "the rail")
        cls.http.put(f"/api/bench/stack/{cls.stack_id}").raise_for_status()

    @classmethod
    def bench(cls) -> Any:
        return cls.http.get("/api/bench").json()

    def test_a_moment_of_the_live_view_has_four_parts(self) -> None:
        arrived = b""
        with self.http.stream("GET", "/api/bench/live?x=0.5&y=0.5") as answer:
            for chunk in answer.iter_raw():
                arrived += chunk
                lengths = [int.from_bytes(arrived[4 * i : 4 * i + 4], "big") for i in range(4)]
                if len(arrived) >= 16 + sum(lengths):
                    break
        parts, at = [], 16
        for length in lengths:
            parts.append(arrived[at : at + length])
            at += length
        figures = json.loads(parts[0])
        self.assertIsNotNone(figures["sharpness"])
        self.assertIsNone(figures["run"])
        self.assertEqual([part[:3] for part in parts[1:]], [b"\xff\xd8\xff", b"\x89PN", b"\xff\xd8\xff"])

    def test_refusals(self) -> None:
        touching = self.http.post("/api/bench/move", json={"to_um": 30_000})
        self.assertEqual(touching.status_code, 422)
        self.assertIn("against the specimen", touching.json()["message"])
        self.assertEqual(self.http.post("/api/bench/run/pause").status_code, 409)
        self.assertEqual(self.http.put("/api/bench/stack/999999").status_code, 404)
        unknown = self.http.patch("/api/bench", json={"flaws": ["gremlins"]})
        self.assertEqual(unknown.status_code, 422)
        self.http.patch("/api/bench", json={"rail": "socket://127.0.0.1:9"}).raise_for_status()
        silent = self.http.post("/api/bench/connect")
        self.http.patch("/api/bench", json={"rail": "simulated"}).raise_for_status()
        self.assertEqual(silent.status_code, 502)
        self.assertIn("no rail answers", silent.json()["message"])

    def test_a_run_needs_its_list(self) -> None:
        refused = self.http.post(f"/api/stacks/{self.stack_id}/runs", json={})
        self.assertEqual(refused.status_code, 409)
        self.assertIn("Cautions are read", refused.json()["message"])


if __name__ == "__main__":
    unittest.main()
