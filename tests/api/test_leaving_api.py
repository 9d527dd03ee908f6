"""What leaves the station over HTTP: as it is called there, on a web site, and before and after mending."""

import json
import unittest
import zipfile
from io import BytesIO
from typing import ClassVar

import cv2
import iiif_prezi3
import numpy as np
import tifffile
from fastapi.testclient import TestClient
from numpy.typing import NDArray
from PIL import Image

from amber_ladder.api.app import create_app
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.work import mend
from amber_ladder.work.stack.naming import FileNames, set_names
from amber_ladder.work.stack.views import MergeView
from tests.support.station import database
from tests.support.takes import a_merge, folder_of, have_done, shot_stack

SITE = "https://pictures.tarnhollow.example/stacks"


class Leaving(unittest.TestCase):
    client: ClassVar[TestClient]
    merge: ClassVar[MergeView]

    @classmethod
    def setUpClass(cls) -> None:
        database()
        cls.client = TestClient(create_app(), base_url="http://localhost")
        cls.merge = a_merge(shot_stack("LEAVES-1").takes[0].id)

    def setUp(self) -> None:
        self.addCleanup(set_names, FileNames())
        self.at = f"/api/merges/{self.merge.id}"

    def named(self, **told: str) -> None:
        answer = self.client.put("/api/file-names", json=told)
        self.assertEqual(answer.status_code, 200, answer.text)

    def saved_as(self, path: str) -> str:
        head = str(self.client.get(path).headers["content-disposition"])
        return head.split("filename=")[1].strip('"')

    def mended(self, name: str = "painted") -> int:
        """A mended picture of the merge; returns its number."""
        view = mend.begin(self.merge.id, mend.MendEntry(name=name))
        frame = (self.merge.report or {})["frames_used"][0]
        step = {"kind": "from_frame", "file": frame, "path": [[100, 80], [160, 90]], "radius_px": 12, "align": False}
        mend.add_step(view.id, mend.StepEntry.model_validate({"revision": view.revision, "step": step}))
        mend.finish(view.id)
        written = mend.read(view.id).mended
        assert written is not None
        have_done(written.task.id)
        return written.id

    def of(self, product_id: int) -> int:
        """Under which number of its take a mended picture stands."""
        with transaction() as session:
            return stacks.get_product(session, product_id, "mend").number

    def pixels(self, content: bytes) -> NDArray[np.uint8]:
        return np.asarray(Image.open(BytesIO(content)).convert("RGB"))

    def test_files_are_called_by_the_stations_pattern(self) -> None:
        usual = "LEAVES-1_stack1_take1_select1"
        self.assertEqual(self.saved_as(f"{self.at}/picture.png"), f"{usual}.png")
        self.named(files="{number}_{take}_{run}", folders="{number}-{name}")
        self.assertEqual(self.saved_as(f"{self.at}/picture.png"), "LEAVES-1_1_select1.png")
        self.assertEqual(self.saved_as(f"{self.at}/composite.tif"), "LEAVES-1_1_select1_composite.tif")
        self.assertEqual(self.saved_as(f"{self.at}/measures.csv"), "LEAVES-1_1_select1_measures.csv")
        done = self.client.get(f"{self.at}/label").json()["done"]
        self.assertIn("saved as LEAVES-1_1_select1.png", [one["words"] for one in done])
        # What a database elsewhere knows a picture by stays the same.
        with zipfile.ZipFile(BytesIO(self.client.get("/api/ledger/darwin-core.zip").content)) as archive:
            table = next(name for name in archive.namelist() if usual in archive.read(name).decode("utf-8", "replace"))
        self.assertTrue(table)
        package = self.client.post(f"{self.at}/packages").json()
        have_done(package["task"]["id"])
        (told,) = self.client.get(f"{self.at}/packages").json()
        self.assertRegex(told["name"], r"LEAVES-1-.+[.]zip")
        with zipfile.ZipFile(BytesIO(self.client.get(f"/api/packages/{told['id']}.zip").content)) as bag:
            self.assertEqual({name.split("/")[0] for name in bag.namelist()}, {told["name"].removesuffix(".zip")})

    def test_names_are_shown_before_they_are_set(self) -> None:
        asked = {"files": "{date}_{number}", "folders": "{number}", "web_address": f"{SITE}/"}
        told = self.client.get(f"{self.at}/called", params=asked).json()
        self.assertRegex(told["picture"], r"^20\d\d-\d\d-\d\d_LEAVES-1[.]png$")
        self.assertEqual((told["package"], told["manifest"]), ("LEAVES-1.zip", f"{SITE}/LEAVES-1/manifest.json"))
        self.assertEqual(told["alike"], ["stacks of one specimen", "takes", "runs of one take"])
        self.assertEqual(self.client.get("/api/file-names").json()["web_address"], "")
        for field, value in (
            ("files", "{stack}"), ("folders", "a/{number}"), ("web_address", "pictures"), ("files", ""),
            ("web_address", "https://a.example/?x=1"), ("web_address", "https://me@a.example"),
        ):  # fmt: skip
            with self.subTest(field, value=value):
                refused = self.client.put("/api/file-names", json={field: value})
                self.assertEqual((refused.status_code, refused.json()["fields"][0]["field"]), (422, field))

    def test_a_web_site_shows_the_picture_with_its_scale_and_whose_it_is(self) -> None:
        refused = self.client.get(f"{self.at}/web-site.zip")
        self.assertEqual(refused.status_code, 409)
        self.assertIn("set the address first", refused.json()["message"])
        self.named(web_address=SITE)
        rights = {"rights_holder": "Tarn Hollow", "licence": "https://creativecommons.org/licenses/by/4.0/"}
        self.client.put("/api/rights", json=rights)
        self.addCleanup(self.client.put, "/api/rights", json={})
        answer = self.client.get(f"{self.at}/web-site.zip")
        with zipfile.ZipFile(BytesIO(answer.content)) as site:
            files = {name.split("/", 1)[1]: site.read(name) for name in site.namelist()}
            folder = site.namelist()[0].split("/")[0]
        manifest = iiif_prezi3.Manifest(**json.loads(files["manifest.json"]))
        self.assertEqual(str(manifest.id), f"{SITE}/{folder}/manifest.json")
        self.assertEqual(str(manifest.rights), rights["licence"])
        self.assertIn("© Tarn Hollow", manifest.requiredStatement.value["en"][0])
        label = self.client.get(f"{self.at}/label").json()
        told = {one.label["en"][0]: one.value["en"][0] for one in manifest.metadata}
        self.assertEqual(told["Catalogue number"], "LEAVES-1")
        self.assertIn(f"{label['um_per_px']:.6g}", told["Scale"])
        self.assertIn(label["scale_from"], told["Scale"])
        (canvas,) = manifest.items
        size = canvas.service[0]
        self.assertAlmostEqual(size.physicalScale * 1e3, label["um_per_px"])
        self.assertEqual(size.physicalUnits, "mm")
        image = canvas.items[0].items[0].body
        self.assertTrue(str(image.id).startswith(f"{SITE}/{folder}/image/"))
        crop = (self.merge.report or {})["crop"]
        self.assertEqual((canvas.width, canvas.height), (crop["width"], crop["height"]))
        # Every tile that the description of the image promises is there, and together they are the picture.
        info = json.loads(files["image/info.json"])
        self.assertEqual(info["id"], f"{SITE}/{folder}/image")
        shown = self.pixels(files[str(image.id).removeprefix(f"{SITE}/{folder}/")])
        box = tuple(slice(crop[at], crop[at] + crop[side]) for at, side in (("y", "height"), ("x", "width")))
        composite = tifffile.imread(folder_of(self.merge) / "composite.tif")[box]
        self.assertLess(np.abs(shown.astype(int) - composite.astype(int)).mean(), 2.0)
        (tiles,) = info["tiles"]
        side, laid = int(tiles["width"]), np.zeros_like(composite)
        for factor in tiles["scaleFactors"]:
            step = side * factor
            for top in range(0, info["height"], step):
                for left in range(0, info["width"], step):
                    width, height = min(step, info["width"] - left), min(step, info["height"] - top)
                    whole = (width, height) == (info["width"], info["height"])
                    region = "full" if whole else f"{left},{top},{width},{height}"
                    found = [name for name in files if name.startswith(f"image/{region}/") and "/max/" not in name]
                    self.assertTrue(found, region)
                    if factor == 1:
                        laid[top : top + height, left : left + width] = self.pixels(files[found[0]])
        self.assertLess(np.abs(laid.astype(int) - composite.astype(int)).mean(), 2.0)

    def test_a_mended_picture_on_a_web_site_says_that_it_is_mended(self) -> None:
        number = self.mended("for the web")
        self.named(web_address=SITE)
        answer = self.client.get(f"{self.at}/web-site.zip", params={"mended_id": number})
        self.assertEqual(answer.status_code, 200, answer.text)
        with zipfile.ZipFile(BytesIO(answer.content)) as site:
            name = next(one for one in site.namelist() if one.endswith("/manifest.json"))
            manifest = iiif_prezi3.Manifest(**json.loads(site.read(name)))
        self.assertRegex(str(manifest.id), rf"^{SITE}/.+_mend\d+/manifest.json$")
        told = {one.label["en"][0]: one.value["en"][0] for one in manifest.metadata}
        self.assertEqual(told["Mended"], "for the web, 1 step; 0.00% of it is not evidence")
        self.assertEqual(self.client.get("/api/merges/999999/web-site.zip").status_code, 404)
        missing = self.client.get(f"{self.at}/web-site.zip", params={"mended_id": 999999})
        self.assertEqual(missing.status_code, 404)

    def test_before_and_after_are_whole_and_at_one_scale(self) -> None:
        number = self.mended()
        answer = self.client.get(f"{self.at}/before-after.png", params={"mended_id": number})
        self.assertEqual(answer.status_code, 200, answer.text)
        sheet = self.pixels(answer.content)
        crop = (self.merge.report or {})["crop"]
        y, x, height, width = crop["y"], crop["x"], crop["height"], crop["width"]
        composite = tifffile.imread(folder_of(self.merge) / "composite.tif")[y : y + height, x : x + width]
        after = self.pixels(self.client.get(f"/api/mended/{number}/composite.tif").content)
        for picture, side in ((composite, sheet[:, : sheet.shape[1] // 2]), (after, sheet[:, sheet.shape[1] // 2 :])):
            inner = picture[10:-10, 10:-10].copy()
            likeness = cv2.matchTemplate(side, inner, cv2.TM_SQDIFF)  # by sums that are rounded: it tells where only
            top, left = np.unravel_index(int(likeness.argmin()), likeness.shape)
            there = side[top : top + inner.shape[0], left : left + inner.shape[1]]
            np.testing.assert_array_equal(there, inner)
        stem = self.client.get(f"{self.at}/label").json()["file_stem"]
        self.assertIn(f"{stem}_mend{self.of(number)}_before-after.png", answer.headers["content-disposition"])
        self.assertEqual(
            self.saved_as(f"/api/mended/{number}/changed.tif"), f"{stem}_mend{self.of(number)}_changed.tif"
        )
        other = a_merge(shot_stack("LEAVES-2").takes[0].id)
        missing = self.client.get(f"/api/merges/{other.id}/before-after.png", params={"mended_id": number})
        self.assertEqual(missing.status_code, 404)


if __name__ == "__main__":
    unittest.main()
