"""Measures over HTTP: what the page and scripts rely on."""

import unittest
from typing import Any, ClassVar

import httpx

from tests.support.station import running
from tests.support.takes import a_merge, shot_stack

LINE: dict[str, Any] = {"kind": "length", "points": [[100, 100], [160, 180]]}


class OverHttp(unittest.TestCase):
    merge_id: ClassVar[int]

    @classmethod
    def setUpClass(cls) -> None:
        running()
        cls.merge_id = a_merge(shot_stack("MEASURE-HTTP").takes[0].id).id

    def setUp(self) -> None:
        self.http = httpx.Client(base_url=f"{running().address}api", timeout=90.0)
        self.addCleanup(self.http.close)
        self.own = f"/merges/{self.merge_id}"

    def refused(self, answer: httpx.Response, status: int, words: str) -> None:
        self.assertEqual(answer.status_code, status, answer.text)
        self.assertIn(words, answer.text)

    def test_what_is_tried_is_not_taken_and_what_is_taken_stays(self) -> None:
        before = len(self.http.get(f"{self.own}/measures").json()["measures"])
        tried = self.http.post(f"{self.own}/measured", json=LINE).json()
        self.assertEqual(len(self.http.get(f"{self.own}/measures").json()["measures"]), before)
        taken = self.http.post(f"{self.own}/measures", json={**LINE, "name": "eye"})
        self.assertEqual(taken.status_code, 201, taken.text)
        self.assertEqual(taken.json()["told"]["value"], tried["value"])
        again = self.http.post(f"/measures/{taken.json()['id']}/picks", json={"points": LINE["points"]})
        self.assertEqual((again.status_code, len(again.json()["picks"])), (201, 2))

    def test_every_kind_is_listed_with_what_it_needs(self) -> None:
        kinds = {one["kind"]: one for one in self.http.get("/measure-kinds").json()}
        self.assertEqual(len(kinds), 17)
        self.assertEqual((kinds["height"]["least"], kinds["height"]["most"]), (2, 2))
        self.assertTrue(kinds["volume"]["needs_depth"])
        self.assertFalse(kinds["area"]["needs_depth"])

    def test_refused_in_words(self) -> None:
        tell = f"{self.own}/measured"
        self.refused(self.http.post(tell, json={**LINE, "points": [[1, 1]]}), 422, "2 or more places, and has 1")
        self.refused(self.http.post(tell, json={**LINE, "points": [[1, 1], [9000, 1]]}), 422, "outside the picture")
        self.refused(self.http.post(tell, json={**LINE, "kind": "girth"}), 422, "kind")
        self.refused(self.http.post(tell, json={**LINE, "kind": "dihedral"}), 422, "second face")
        self.refused(self.http.get("/merges/999999/measures"), 404, "999999")
        self.refused(self.http.put("/measures/999999", json={"name": "x"}), 404, "there is no measure")

    def test_the_relief_whole_and_in_part(self) -> None:
        whole = self.http.get(f"{self.own}/relief")
        self.assertEqual(whole.headers["content-type"], "application/octet-stream")
        part = self.http.get(f"{self.own}/relief", params={"x": 10, "y": 10, "width": 40, "height": 30})
        self.assertLess(len(part.content), len(whole.content))
        picture = self.http.get(f"{self.own}/relief.jpg")
        self.assertEqual((picture.status_code, picture.content[:2]), (200, b"\xff\xd8"))
        self.assertEqual(self.http.get(f"{self.own}/anaglyph.png").content[:4], b"\x89PNG")
        self.assertEqual(self.http.get(f"{self.own}/rocking.webp").content[8:12], b"WEBP")
        beyond = self.http.get(f"{self.own}/relief", params={"x": 9000, "y": 0, "width": 40, "height": 30})
        self.refused(beyond, 422, "outside the picture")

    def test_a_series_is_kept_for_the_kind_of_specimen(self) -> None:
        items = [{"name": "eye, across", "kind": "length"}, {"name": "eye, area", "kind": "area"}]
        kept = self.http.put(f"{self.own}/series", json={"items": items})
        self.assertEqual(kept.status_code, 200, kept.text)
        taken = self.http.post(f"{self.own}/measures", json={**LINE, "name": "eye, across"}).json()
        shown = self.http.get(f"{self.own}/series").json()
        self.assertEqual([one["taken"] for one in shown["items"]], [taken["id"], None])
        table = self.http.get(f"{self.own}/series/table").json()
        self.assertEqual(table["columns"][0]["n"], 1)
        self.assertEqual(self.http.get(f"/measures/{taken['id']}/place.jpg").content[:2], b"\xff\xd8")
        self.assertIn("eye, across, µm", self.http.get(f"{self.own}/series.csv").text.splitlines()[0])
        twice = self.http.put(f"{self.own}/series", json={"items": items[:1] * 2})
        self.refused(twice, 422, "two measures are called eye, across")

    def test_the_scale_from_something_in_the_picture(self) -> None:
        two = {"kind": "two_points", "points": [[60, 150], [260, 150]], "size_um": 300.0}
        tried = self.http.post(f"{self.own}/reference", json=two).json()
        used = self.http.put(f"{self.own}/reference", json=two).json()
        self.assertEqual(used["um_per_px"], tried["um_per_px"])
        self.assertEqual(self.http.delete(f"{self.own}/reference").json()["reference"], None)
        self.refused(self.http.delete(f"{self.own}/reference"), 422, "scale of its stack already")
        self.refused(self.http.post(f"{self.own}/reference", json={**two, "size_um": 0}), 422, "size_um")
        self.refused(self.http.post(f"{self.own}/reference", json={**two, "kind": "coin"}), 422, "3 places")

    def test_files_are_saved_under_the_merges_name(self) -> None:
        self.http.post(f"{self.own}/measures", json=LINE)
        for kind, media in (
            ("csv", "text/csv"),
            ("json", "application/json"),
            ("svg", "image/svg+xml"),
            ("png", "image/png"),
        ):
            answer = self.http.get(f"{self.own}/measures.{kind}")
            with self.subTest(kind):
                self.assertEqual(answer.status_code, 200)
                self.assertTrue(answer.headers["content-type"].startswith(media))
                self.assertIn(
                    f"MEASURE-HTTP_stack1_take1_select1_measures.{kind}", answer.headers["content-disposition"]
                )
        curve = self.http.post(f"{self.own}/profile.csv", json={**LINE, "kind": "profile"})
        self.assertGreater(len(curve.text.splitlines()), 90)


if __name__ == "__main__":
    unittest.main()
