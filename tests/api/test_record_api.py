"""Record over HTTP: initials, rights, and a package that is fetched in two parts."""

import hashlib
import unittest
from io import BytesIO
from typing import ClassVar
from unittest.mock import patch

import numpy as np
from fastapi.testclient import TestClient
from PIL import Image

from amber_ladder.api.app import create_app
from amber_ladder.errors import StorageFull
from amber_ladder.store import deeds
from amber_ladder.store.database import transaction
from tests.support.examples import SPECIMEN
from tests.support.station import database
from tests.support.takes import a_merge, have_done, shot_stack


class Record(unittest.TestCase):
    client: ClassVar[TestClient]

    @classmethod
    def setUpClass(cls) -> None:
        database()
        cls.client = TestClient(create_app(), base_url="http://localhost")

    def who(self, number: str, cookie: str) -> str | None:
        label = {**SPECIMEN, "catalogue_number": number}
        answer = self.client.post("/api/specimens", json=label, headers={"Cookie": cookie})
        self.assertEqual(answer.status_code, 201, answer.text)
        with transaction() as session:
            (added,) = deeds.of_specimen(session, answer.json()["id"])
            return added.by

    def test_initials_stand_in_what_is_done_and_what_is_none_is_left_away(self) -> None:
        self.assertEqual(self.who("RC-1", "initials=A.F."), "A.F.")
        self.assertEqual(self.who("RC-2", "initials=%C5.%20B."), None)  # no UTF-8
        self.assertEqual(self.who("RC-3", "initials=%C3%85.%20B."), "Å. B.")
        for number, cookie in enumerate(("initials=", "initials=<b>", "initials=" + 40 * "A", "other=A.F.")):
            with self.subTest(cookie):
                self.assertIsNone(self.who(f"RC-1{number}", cookie))

    def test_only_who_did_it_is_offered_to_undo_it(self) -> None:
        self.who("RC-4", "initials=A.F.")
        mine = self.client.get("/api/deeds", headers={"Cookie": "initials=A.F."}).json()
        others = self.client.get("/api/deeds", headers={"Cookie": "initials=B.M."}).json()
        self.assertIn("RC-4 moss capsule added", [one["words"] for one in mine])
        self.assertNotIn("RC-4 moss capsule added", [one["words"] for one in others])
        refused = self.client.post(f"/api/deeds/{mine[0]['id']}/undo", headers={"Cookie": "initials=B.M."})
        self.assertEqual(refused.status_code, 409)
        self.assertIn("A.F. did this", refused.json()["message"])

    def test_rights_are_kept_and_too_much_is_refused(self) -> None:
        told = {"photographer": "A. Fell", "rights_holder": "", "licence": "CC BY 4.0", "institution": "THFS"}
        self.assertEqual(self.client.put("/api/rights", json=told).json(), told)
        self.assertEqual(self.client.get("/api/rights").json(), told)
        refused = self.client.put("/api/rights", json={"licence": 201 * "x"})
        self.assertEqual((refused.status_code, refused.json()["fields"][0]["field"]), (422, "licence"))

    def test_a_package_that_broke_off_is_fetched_on(self) -> None:
        merge = a_merge(shot_stack("RC-0").takes[0].id)
        begun = self.client.post(f"/api/merges/{merge.id}/packages")
        self.assertEqual(begun.status_code, 201)
        address = f"/api/packages/{begun.json()['id']}.zip"
        self.assertEqual(self.client.get(address).status_code, 404)  # not finished
        have_done(begun.json()["task"]["id"])
        (told,) = self.client.get(f"/api/merges/{merge.id}/packages").json()
        half = told["bytes"] // 2
        first = self.client.get(address, headers={"Range": f"bytes=0-{half - 1}"})
        second = self.client.get(address, headers={"Range": f"bytes={half}-"})
        self.assertEqual((first.status_code, second.status_code, len(first.content)), (206, 206, half))
        self.assertEqual(hashlib.sha256(first.content + second.content).hexdigest(), told["sha256"])
        self.assertIn(told["name"], second.headers["content-disposition"])
        self.assertEqual(self.client.post("/api/merges/999999/packages").status_code, 404)

    def test_what_is_saved_stands_in_the_history(self) -> None:
        merge = a_merge(shot_stack("RC-0").takes[0].id)
        mine, others = {"Cookie": "initials=A.F."}, {"Cookie": "initials=B.M."}

        def told() -> list[tuple[str, str | None]]:
            view = self.client.get(f"/api/merges/{merge.id}/label").json()
            self.assertEqual(view["broken"], [])
            return [(one["words"], one["by"]) for one in view["done"] if one["did"] == "exported"]

        before = len(told())
        address = f"/api/merges/{merge.id}"
        size = int(self.client.get(f"{address}/composite.tif", headers=mine).headers["content-length"])
        # Straight after, the same is the same: a download that broke off goes on.
        self.client.get(f"{address}/composite.tif", headers={**mine, "Range": f"bytes={size // 2}-"})
        stem = self.client.get(f"{address}/label").json()["file_stem"]
        expected = [(f"saved as {stem}_composite.tif", "A.F.")]
        self.assertEqual(told()[before:], expected)
        for path, name, headers in (
            ("picture.jpg", f"{stem}.jpg", mine),
            ("measures.csv", f"{stem}_measures.csv", mine),
            ("record.json", f"{stem}.json", mine),
            ("record.json", f"{stem}.json", others),
            ("ome-tiff", f"{stem}.ome.tif", others),
        ):
            self.assertEqual(self.client.get(f"{address}/{path}", headers=headers).status_code, 200)
            expected.append((f"saved as {name}", headers["Cookie"].removeprefix("initials=")))
        self.assertEqual(told()[before:], expected)
        # Where nothing more can be written, what there is can be got out all the same.
        with (
            patch("amber_ladder.work.leaving.transaction", side_effect=StorageFull("no room")),
            self.assertLogs("amber_ladder.work.leaving", "WARNING"),
        ):
            self.assertEqual(self.client.get(f"{address}/depth.tif", headers=mine).status_code, 200)
        # What cannot be had has not left.
        self.assertEqual(self.client.get(f"{address}/ome-tiff?mended_id=999999").status_code, 404)
        self.assertEqual(self.client.get("/api/merges/999999/picture.png").status_code, 404)
        self.assertEqual(told()[before:], expected)

    def test_a_scale_bar_is_as_long_and_where_it_is_asked_for(self) -> None:
        merge = a_merge(shot_stack("RC-0").takes[0].id)
        address = f"/api/merges/{merge.id}"
        told = self.client.get(f"{address}/label").json()
        asked = {"bar_um": 123.0, "bar_at": "top left", "bar_colour": "white", "printed_mm": 84}
        whole = Image.open(BytesIO(self.client.get(f"{address}/picture.png", params=asked).content))
        self.assertEqual(whole.width, told["width_px"])
        corner = np.asarray(whole.convert("RGB"))[: whole.height // 3]
        longest = max(run(row) for row in (corner == 255).all(axis=2))
        self.assertAlmostEqual(longest * told["um_per_px"], 123.0, delta=2 * told["um_per_px"])
        small = Image.open(BytesIO(self.client.get(f"{address}/bar.jpg", params=asked).content))
        self.assertLessEqual(small.width, 960)
        before = len(self.client.get(f"{address}/label").json()["done"])
        for wrong, words in (
            ({"bar_um": 1e5}, "does not fit: the picture is"), ({"bar_um": 0.01}, "nobody could see it"),
            ({"bar_um": -1}, "more than 0"), ({"printed_mm": 1}, ""), ({"bar_at": "middle"}, ""),
        ):  # fmt: skip
            with self.subTest(wrong):
                for file in ("bar.jpg", "picture.jpg"):
                    refused = self.client.get(f"{address}/{file}", params=wrong)
                    self.assertEqual(
                        (refused.status_code, refused.json()["fields"][0]["field"]), (422, next(iter(wrong)))
                    )
                    self.assertIn(words, str(refused.json()))
        # A look is no export, and what was refused is none.
        self.assertEqual(len(self.client.get(f"{address}/label").json()["done"]), before)


def run(row: np.ndarray) -> int:
    """How long the longest stretch of a row is."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], row.astype(np.int8), [0]])))
    return int((edges[1::2] - edges[::2]).max(initial=0))
