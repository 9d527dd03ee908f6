"""Parts, rigs, versions, the bench and calibrations over HTTP, as the pages use them."""

import unittest
from typing import Any, ClassVar

import cv2
import numpy as np
from starlette.testclient import TestClient

from amber_ladder.api.app import create_app
from tests.support.examples import PLAN, RIG, SPECIMEN, picture
from tests.support.rulings import ruled_slide
from tests.support.station import database
from tests.support.takes import have_done

SENSOR = {"width_px": 480, "height_px": 320, "pixel_um": 16.0}


class RigsApi(unittest.TestCase):
    client: ClassVar[Any]

    @classmethod
    def setUpClass(cls) -> None:
        database()
        cls.client = TestClient(create_app(), raise_server_exceptions=False, base_url="http://127.0.0.1")

    def made(self, path: str, body: dict[str, Any]) -> dict[str, Any]:
        answer = self.client.post(f"/api/{path}", json=body)
        self.assertEqual(answer.status_code, 201, answer.text)
        return dict(answer.json())

    def rig(self, name: str, **more: Any) -> dict[str, Any]:
        return self.made("rigs", {**RIG, "name": name, "sensor": SENSOR, **more})

    def refused(self, answer: Any, status: int, field: str) -> None:
        self.assertEqual(answer.status_code, status, answer.text)
        self.assertIn(field, [one["field"] for one in answer.json()["fields"]])

    def test_parts_are_kept_corrected_and_checked(self) -> None:
        rail = {"kind": "rail", "click_um": 2.5, "min_um": 0, "max_um": 20_000}
        made = self.made("parts", {"name": "rail of the api", "part": rail})
        changed = {"name": "finer rail", "part": {**rail, "click_um": 1.25}}
        self.assertEqual(self.client.put(f"/api/parts/{made['id']}", json=changed).json()["part"]["click_um"], 1.25)
        self.assertIn("finer rail", [one["name"] for one in self.client.get("/api/parts").json()])
        bad = {"name": "bad", "part": {**rail, "click_um": 0}}
        self.refused(self.client.post("/api/parts", json=bad), 422, "part.click_um")
        self.assertEqual(self.client.put("/api/parts/999", json=changed).status_code, 404)

    def test_a_rig_shows_what_it_does_is_drawn_and_keeps_its_versions(self) -> None:
        rig = self.rig("drawn", working_distance_mm=34, image_circle_mm=5, parts={"objective": "five"})
        does = rig["does"]
        self.assertEqual(does["drawing"]["parts"][0]["kind"], "sensor")
        self.assertIn("image_circle", [check["key"] for check in does["checks"]])
        self.assertEqual(rig["parts"], {"objective": "five"})
        changed = {**RIG, "name": "drawn anew", "sensor": SENSOR}
        self.assertEqual(self.client.put(f"/api/rigs/{rig['id']}", json=changed).json()["version"], 2)
        versions = self.client.get(f"/api/rigs/{rig['id']}/versions").json()
        self.assertEqual([one["name"] for one in versions], ["drawn", "drawn anew"])
        self.assertEqual(versions[0]["rig"]["working_distance_mm"], 34)

    def test_only_one_rig_stands_on_the_bench(self) -> None:
        one, two = self.rig("first on the bench"), self.rig("second on the bench")
        for rig in (one, two):
            answer = self.client.put(f"/api/rigs/{rig['id']}/bench", json={"flash_power": 0.25})
            self.assertTrue(answer.json()["on_bench"])
        standing = [rig["name"] for rig in self.client.get("/api/rigs").json() if rig["on_bench"]]
        self.assertEqual(standing, ["second on the bench"])
        self.refused(self.client.put(f"/api/rigs/{one['id']}/bench", json={"flash_power": 2}), 422, "flash_power")

    def test_a_scale_goes_into_the_record_with_its_uncertainty(self) -> None:
        rig = self.rig("scaled")
        slide = np.rint(ruled_slide(12, 3, size=(480, 320)) * 255).astype(np.uint8)
        content = bytes(cv2.imencode(".png", slide)[1])
        seen = self.client.put(f"/api/rigs/{rig['id']}/scale-pictures/slide.png", content=content).json()
        self.assertAlmostEqual(seen["ruling"]["pitch_px"], 12, delta=0.03)
        shown = self.client.get(f"/api/calibration-pictures/{seen['picture']['sha256']}.png")
        self.assertEqual((shown.status_code, shown.headers["content-type"]), (200, "image/jpeg"))
        self.assertEqual(self.client.get(f"/api/calibration-pictures/{'0' * 64}.png").status_code, 404)
        self.refused(
            self.client.post(
                f"/api/rigs/{rig['id']}/calibrations/scale", json={"picture": seen["picture"], "length_um": -1}
            ),
            422,
            "length_um",
        )
        self.made(f"rigs/{rig['id']}/calibrations/scale", {"picture": seen["picture"], "length_um": 38.4})
        specimen = self.made("specimens", {**SPECIMEN, "catalogue_number": "RA-1", "depth_mm": 0.4})
        entry = {"rig_id": rig["id"], "plan": {**PLAN, "far_um": 60, "rail": None}}
        stack = self.made(f"specimens/{specimen['id']}/stacks", entry)
        self.assertEqual((stack["rig_version"], stack["optics"]["pixel_origin"]), (2, "measured"))
        self.client.post(f"/api/stacks/{stack['id']}/cautions", json={"key": "flash"})
        record = self.merged(stack)
        self.assertAlmostEqual(record["scale"]["um_per_px"], 3.2, delta=0.01)
        self.assertLess(record["scale"]["u_um_per_px"], 0.01)
        self.assertEqual(record["rig"]["version"], 2)
        self.assertEqual([one["key"] for one in record["cautions_read"]], ["flash"])
        self.assertEqual(record["specimen"]["depth_mm"], 0.4)

    def merged(self, stack: dict[str, Any]) -> dict[str, Any]:
        take = self.made(f"stacks/{stack['id']}/takes", {"source": "files"})
        for i in range(3):
            self.client.put(f"/api/takes/{take['id']}/frames/{i}.jpg", content=picture(480, 320, seed=8, shot=i))
        self.client.post(f"/api/takes/{take['id']}/finish")
        merge = self.made(f"takes/{take['id']}/merges", {"method": "blend"})
        have_done(merge["task"]["id"])
        return dict(self.client.get(f"/api/merges/{merge['id']}/record.json").json())

    def test_a_ramp_over_http(self) -> None:
        rig = self.rig("ramped")
        for change, field in (({"slope_deg": 0}, "slope_deg"), ({"units_per_frame": 0}, "units_per_frame")):
            body = {"slope_deg": 20, "units_per_frame": 1, **change}
            self.refused(self.client.post(f"/api/rigs/{rig['id']}/calibrations/ramp", json=body), 422, field)
        begun = self.made(f"rigs/{rig['id']}/calibrations/ramp", {"slope_deg": 20, "unit": "click"})
        put = lambda name, content: self.client.put(f"/api/calibrations/{begun['id']}/frames/{name}", content=content)
        self.assertEqual(put("a.jpg", picture(480, 320)).status_code, 201)
        self.assertEqual(put("half.jpg", picture(480, 320)[:900]).status_code, 422)
        self.assertEqual(put("small.jpg", picture(240, 160)).status_code, 422)
        self.assertEqual(self.client.post(f"/api/calibrations/{begun['id']}/measure").status_code, 422)
        gone = {"kind": "calibration", "id": begun["id"], "why": "came to nothing"}
        self.assertEqual(self.client.post("/api/discards", json=gone).status_code, 201)
        self.assertEqual(self.client.get(f"/api/rigs/{rig['id']}/calibrations").json(), [])

    def test_a_lens_at_another_aperture_is_saved_as_such(self) -> None:
        lens = {"kind": "lens", "f_number": 2.8, "magnification": 1, "pupil_magnification": 1, "focal_mm": 100}
        rig = self.rig("stopped down", train=lens)
        specimen = self.made("specimens", {**SPECIMEN, "catalogue_number": "RA-2"})
        entry = {"rig_id": rig["id"], "plan": {**PLAN, "far_um": 4000}, "marked_f_number": 8}
        stack = self.made(f"specimens/{specimen['id']}/stacks", entry)
        self.assertEqual(stack["rig_name"], "stopped down, at f/8")
        self.assertAlmostEqual(stack["optics"]["effective_f_number"], 16)
        objective = self.rig("no iris", train={"kind": "measured", "magnification": 5, "na": 0.1})
        self.refused(
            self.client.post(f"/api/specimens/{specimen['id']}/stacks", json={**entry, "rig_id": objective["id"]}),
            422,
            "marked_f_number",
        )


if __name__ == "__main__":
    unittest.main()
