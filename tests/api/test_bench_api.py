"""The bench over HTTP on the running station: the live stream, and refusals with their codes."""

import json
import unittest
from typing import Any, ClassVar

import httpx

from tests.support.bench import CONFIRMED
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

    def test_settings_that_cannot_be_are_refused_in_words_and_change_nothing(self) -> None:
        before = self.bench()["settings"]
        for change, word in (
            ({"reshoots": 99}, "9 or less"),
            ({"rail": " "}, "must not be empty"),
            ({"scene": "moon"}, "moon"),
        ):
            refused = self.http.patch("/api/bench", json=change)
            self.assertEqual(refused.status_code, 422, refused.text)
            self.assertIn(word, refused.json()["message"])
        self.assertEqual(self.bench()["settings"], before)
        ends = self.http.put(f"/api/stacks/{self.stack_id}/ends", json={"near_um": 500, "far_um": 400})
        self.assertEqual(ends.status_code, 422, ends.text)
        self.assertIn("must lie beyond the near point", ends.json()["message"])

    def test_the_list_before_a_run_is_looked_at_without_a_touch(self) -> None:
        plan = {"rig_id": self.http.get(f"/api/stacks/{self.stack_id}").json()["rig_id"], "plan": PLAN}
        specimen = self.http.post("/api/specimens", json={**SPECIMEN, "catalogue_number": "API-LOOK"}).json()
        other = self.http.post(f"/api/specimens/{specimen['id']}/stacks", json=plan).json()["id"]
        self.http.put(f"/api/bench/stack/{self.stack_id}").raise_for_status()
        keys = {item["key"] for item in self.http.get(f"/api/stacks/{other}/preflight").json()}
        self.assertLessEqual({"rail", "limits", "light", "room", "rig", "caution:flash"}, keys)
        self.assertEqual(self.bench()["stack_id"], self.stack_id)

    def test_a_held_move_over_http(self) -> None:
        self.http.post("/api/bench/move", json={"to_um": -4000}).raise_for_status()
        until(lambda: self.bench()["busy"] is None, "the move")
        self.assertEqual(self.http.post("/api/bench/holds/nobody").json(), {"moving": False})
        self.http.post("/api/bench/move", json={"to_um": 12_000, "hold": "key-1"}).raise_for_status()
        self.assertEqual(self.http.post("/api/bench/holds/key-1").json(), {"moving": True})
        self.http.delete("/api/bench/holds/key-1").raise_for_status()
        until(lambda: self.bench()["busy"] is None, "the rail to stop")
        self.assertLess(self.bench()["rail"]["position_um"], 10_000)
        self.assertEqual(self.http.post("/api/bench/move", json={"by_um": 1, "hold": "no/good"}).status_code, 422)

    def test_a_run_is_stopped_through_its_task_like_any_long_work(self) -> None:
        timing = {"settle_s": 1, "exposure_s": 0.1, "recycle_s": 1}
        rig_id = self.http.get(f"/api/stacks/{self.stack_id}").json()["rig_id"]
        specimen = self.http.post("/api/specimens", json={**SPECIMEN, "catalogue_number": "API-STOP"}).json()
        plan = {**PLAN, "near_um": 1000, "far_um": 1200, "timing": timing}
        made = self.http.post(f"/api/specimens/{specimen['id']}/stacks", json={"rig_id": rig_id, "plan": plan}).json()
        begun = self.http.post(f"/api/stacks/{made['id']}/runs", json={"confirmed": CONFIRMED})
        begun.raise_for_status()
        self.assertIsNotNone(self.bench()["busy"])
        self.http.post(f"/api/tasks/{begun.json()['task']['id']}/stop").raise_for_status()
        until(lambda: self.bench()["busy"] is None, "the run to stop")
        take = self.http.get(f"/api/stacks/{made['id']}").json()["takes"][0]
        self.assertEqual(take["task"]["state"], "stopped")
        self.assertEqual(take["devices"]["rail"], "simulated")
        self.assertEqual([stage["key"] for stage in self.http.get("/api/stages").json()][:2], ["plan", "shoot"])

    def test_a_run_needs_its_list(self) -> None:
        refused = self.http.post(f"/api/stacks/{self.stack_id}/runs", json={})
        self.assertEqual(refused.status_code, 409)
        self.assertIn("Motorised rail", refused.json()["message"])


if __name__ == "__main__":
    unittest.main()
