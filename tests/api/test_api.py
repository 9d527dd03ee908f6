"""The API as pages and scripts use it, without the network: requests, refusals, files."""

import unittest
from typing import Any, ClassVar

from starlette.testclient import TestClient

from amber_ladder.api.app import create_app
from amber_ladder.launch.serve import SOURCE
from tests.support.examples import PLAN, RIG, SPECIMEN, picture
from tests.support.station import database
from tests.support.takes import have_done


class Api(unittest.TestCase):
    station: ClassVar[Any]
    client: ClassVar[Any]
    rig: ClassVar[dict[str, Any]]
    specimen: ClassVar[dict[str, Any]]

    @classmethod
    def setUpClass(cls) -> None:
        cls.station = database()
        cls.client = TestClient(
            create_app(SOURCE / "web" / "dist"), raise_server_exceptions=False, base_url="http://127.0.0.1"
        )
        cls.rig = cls.client.post("/api/rigs", json=RIG).json()
        cls.specimen = cls.client.post("/api/specimens", json=SPECIMEN).json()

    def refused(self, answer: Any, status: int, field: str | None = None) -> str:
        self.assertEqual(answer.status_code, status, answer.text)
        problem = answer.json()
        if field:
            self.assertIn(field, [one["field"] for one in problem["fields"]])
        self.assertTrue(problem["message"])
        return str(problem["message"])

    def test_bad_rigs_are_refused_at_the_field(self) -> None:
        lens = {"kind": "lens", "f_number": 4, "magnification": 1}
        cases: list[tuple[dict[str, Any], str]] = [
            ({**lens, "f_number": 0}, "train.f_number"),
            ({**lens, "magnification": -1}, "train.magnification"),
            ({**lens, "magnification": "wide"}, "train.magnification"),
            ({**lens, "surprise": 1}, "train.surprise"),
            ({"kind": "telescope"}, "train"),
            ({**RIG["train"], "na": 1.2}, "train"),
        ]
        for train, field in cases:
            with self.subTest(train=train):
                answer = self.client.post("/api/rigs", json={**RIG, "name": "bad", "train": train})
                self.refused(answer, 422, field)

    def test_a_far_point_nearer_than_the_near_one_is_refused_at_the_field(self) -> None:
        for far in (0, -5):
            body = {"rig": {k: RIG[k] for k in ("sensor", "train")}, "plan": {**PLAN, "far_um": far}}
            message = self.refused(self.client.post("/api/plan/preview", json=body), 422, "plan.far_um")
            self.assertIn("beyond the near point", message)

    def test_figures_are_computed_for_the_medium(self) -> None:
        body = {k: RIG[k] for k in ("sensor", "train")}
        plan = {**PLAN, "far_um": 400}
        air = self.client.post("/api/plan/preview", json={"rig": body, "plan": plan}).json()
        resin = self.client.post("/api/plan/preview", json={"rig": {**body, "medium_index": 1.54}, "plan": plan}).json()
        air, resin = air["ladder"], resin["ladder"]
        self.assertEqual(air["step_um"], 22.5)
        self.assertAlmostEqual(resin["step_in_medium_um"] / resin["step_um"], 30.98 / 20, places=3)

    def test_impossible_optics_are_named_at_the_field_and_nothing_is_saved(self) -> None:
        finite = {
            "kind": "finite_objective",
            "nominal_magnification": 4,
            "na": 0.1,
            "design_tube_mm": 160,
            "tube_mm": 160,
        }
        coupled = {
            "kind": "coupled",
            "rear_focal_mm": 200,
            "rear_f_number": 4,
            "front_focal_mm": 50,
            "front_f_number": 2,
        }
        lens = {"kind": "lens", "f_number": 4, "magnification": 1, "focal_mm": 60}
        before = len(self.client.get("/api/rigs").json())
        cases: list[tuple[dict[str, Any], str]] = [
            ({"train": {**finite, "tube_mm": 0}}, "train.tube_mm"),
            ({"train": {**finite, "na": 1.3}}, "train"),
            ({"train": {**coupled, "front_focal_mm": -50}}, "train.front_focal_mm"),
            ({"train": {**lens, "extension_mm": -10}}, "train.extension_mm"),
            ({"measured": {"na": 0.1, "effective_f_number": 20}}, "measured"),
            ({"working_distance_mm": 0}, "working_distance_mm"),
        ]
        for change, field in cases:
            with self.subTest(change=change):
                self.refused(self.client.post("/api/rigs", json={**RIG, "name": "impossible", **change}), 422, field)
        self.assertEqual(len(self.client.get("/api/rigs").json()), before)

    def test_contradicting_plans_are_named_at_the_field(self) -> None:
        rig = {k: RIG[k] for k in ("sensor", "train")}
        cases: list[tuple[dict[str, Any], str]] = [
            ({"far_um": 200, "overlap": 0.3, "frames": 20}, "frames"),
            ({"far_um": 200, "overlap": 0.3, "step_um": 20}, "step_um"),
            ({"far_um": 200, "frames": 20, "budget_s": 60}, "budget_s"),
            ({}, "far_um"),
            ({"far_um": 200, "rail": {"click_um": 2}, "focus_unit": {"um_per_unit": 4}}, "plan.focus_unit"),
            ({"far_um": 200, "rail": {"min_um": 10, "max_um": 5}}, "plan.rail"),
            ({"far_um": 200, "sharpness": {"kind": "print", "width_mm": 0}}, "plan.sharpness.width_mm"),
        ]
        for plan, field in cases:
            with self.subTest(plan=plan):
                answer = self.client.post("/api/plan/preview", json={"rig": rig, "plan": {"near_um": 0, **plan}})
                self.refused(answer, 422, field)

    def test_other_ways_by_hand_and_what_will_not_wait(self) -> None:
        ways = self.client.post("/api/plan/ways", json={"plan": {**PLAN, "far_um": 400}}).json()
        self.assertIn(self.rig["id"], [way["rig_id"] for way in ways])
        self.refused(self.client.post("/api/plan/ways", json={"plan": {"near_um": 0, "frames": 9}}), 422, "far_um")
        hand = {"depth_um": 500, "sharp_um": 33.4, "frames_per_second": 10, "sweep_um_per_s": 400}
        self.assertEqual(self.client.post("/api/plan/by-hand", json=hand).json()["frames"], 67)
        air = {"air_celsius": -5, "humidity": 0.5, "size_um": 1000, "allowed_um": 10}
        answer = self.client.post("/api/plan/vanishing", json=air).json()
        self.assertEqual(answer["how"], "sublimates")
        self.assertIn("still air", answer["limits"])
        self.refused(self.client.post("/api/plan/vanishing", json={**air, "allowed_um": 900}), 422, "allowed_um")

    def test_names_and_numbers_taken_or_unknown(self) -> None:
        self.refused(self.client.post("/api/rigs", json=RIG), 409)
        self.refused(self.client.post("/api/specimens", json=SPECIMEN), 409)
        self.refused(self.client.get("/api/stacks/99999"), 404)
        self.refused(self.client.get("/api/nothing"), 404)
        self.refused(self.client.post("/api/specimens", json={**SPECIMEN, "name": " "}), 422, "name")

    def test_unknown_pages_belong_to_the_browser(self) -> None:
        answer = self.client.get("/stacks/1/merge")
        self.assertEqual((answer.status_code, answer.headers["content-type"][:9]), (200, "text/html"))

    def test_from_files_to_tiles_and_exports(self) -> None:
        made = self.client.post(
            f"/api/specimens/{self.specimen['id']}/stacks", json={"rig_id": self.rig["id"], "plan": PLAN}
        ).json()
        take = self.client.post(f"/api/stacks/{made['id']}/takes", json={"source": "files"}).json()
        put = lambda name, content: self.client.put(f"/api/takes/{take['id']}/frames/{name}", content=content)
        for i in range(3):
            self.assertEqual(put(f"é {i}.jpg", picture(640, 480, seed=4, shot=i)).status_code, 201)
        self.assertIn("cut short", self.refused(put("half.jpg", picture()[:2000]), 422))
        self.refused(put("x.jpg", b""), 422)
        self.assertEqual(self.client.post(f"/api/takes/{take['id']}/finish").status_code, 200)
        self.refused(put("late.jpg", picture()), 409)
        merged = self.client.post(f"/api/takes/{take['id']}/merges", json={"method": "select"}).json()
        number = merged["id"]
        self.refused(self.client.get(f"/api/merges/{number}/label"), 404)
        self.refused(self.client.get(f"/api/pictures/composite/{number}/picture.dzi"), 404)
        have_done(merged["task"]["id"])
        stack = self.client.get(f"/api/stacks/{made['id']}").json()
        self.assertEqual(stack["takes"][0]["merges"][0]["task"]["state"], "done")
        for path, kind in (
            (f"/api/pictures/composite/{number}/picture.dzi", "application/xml"),
            (f"/api/pictures/composite/{number}/picture_files/8/0_0.jpg", "image/jpeg"),
            (f"/api/pictures/depth/{number}/preview.jpg", "image/jpeg"),
            (f"/api/pictures/frame/{stack['takes'][0]['frames'][0]['id']}/preview.jpg", "image/jpeg"),
            (f"/api/merges/{number}/composite.tif", "image/tiff"),
            (f"/api/merges/{number}/depth.tif", "image/tiff"),
            (f"/api/merges/{number}/depth_u.tif", "image/tiff"),
            (f"/api/merges/{number}/picture.png", "image/png"),
            (f"/api/merges/{number}/picture.jpg", "image/jpeg"),
            (f"/api/merges/{number}/record.json", "application/json"),
            ("/api/ledger.csv", "text/csv; charset=utf-8"),
        ):
            answer = self.client.get(path)
            self.assertEqual((answer.status_code, answer.headers["content-type"]), (200, kind), path)
        self.refused(self.client.get(f"/api/pictures/composite/{number}/picture_files/8/9_9.jpg"), 404)

    def test_a_stopped_database_is_said_and_passes(self) -> None:
        self.station.cluster.stop(at_once=True)
        message = self.refused(self.client.get("/api/specimens"), 503)
        self.assertIn("Nothing was changed", message)
        self.station.cluster.start()
        self.assertEqual(self.client.get("/api/specimens").status_code, 200)


if __name__ == "__main__":
    unittest.main()
