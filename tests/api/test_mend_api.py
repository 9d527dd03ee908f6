"""Mends over HTTP: what the page and scripts rely on."""

import unittest
from typing import Any, ClassVar

import httpx

from tests.support.station import running, until
from tests.support.takes import a_merge, shot_stack


class OverHttp(unittest.TestCase):
    merge_id: ClassVar[int]
    frame: ClassVar[dict[str, Any]]

    @classmethod
    def setUpClass(cls) -> None:
        running()
        stack = shot_stack("MEND-HTTP")
        cls.merge_id = a_merge(stack.takes[0].id).id
        one = stack.takes[0].frames[12]
        cls.frame = {"id": one.id, "name": one.name}

    def setUp(self) -> None:
        self.http = httpx.Client(base_url=f"{running().address}api", timeout=90.0)
        self.addCleanup(self.http.close)
        answer = self.http.post(f"/merges/{self.merge_id}/mends", json={"name": "over http"})
        self.assertEqual(answer.status_code, 201, answer.text)
        self.mend = answer.json()
        self.own = f"/mends/{self.mend['id']}"

    def step(self, step: dict[str, Any], revision: int | None = None) -> httpx.Response:
        revision = revision or self.http.get(self.own).json()["revision"]
        return self.http.post(f"{self.own}/steps", json={"revision": revision, "step": step})

    def stroke(self) -> dict[str, Any]:
        return {"kind": "from_frame", "file": self.frame["name"], "path": [[150, 100]], "radius_px": 12}

    def test_a_tile_may_be_kept_for_good_under_the_name_of_what_it_shows_and_under_no_other(self) -> None:
        made = self.step(self.stroke()).json()
        key = made["tiles"][0][0]
        self.assertNotEqual(key, "0")
        right, wrong = (self.http.get(f"{self.own}/tiles/{one}/0/0_0.jpg") for one in (key, "0"))
        self.assertEqual(right.content, wrong.content)
        self.assertIn("immutable", right.headers["cache-control"])
        self.assertEqual(wrong.headers["cache-control"], "no-store")
        plain = self.http.get(f"/merges/{self.merge_id}/plain/0/0_0.jpg")
        self.assertNotEqual(plain.content, right.content)
        undone = self.http.post(f"{self.own}/undo", json={"revision": made["revision"]}).json()
        self.assertEqual(undone["tiles"], self.mend["tiles"])
        self.assertEqual(self.http.get(f"{self.own}/tiles/0/0/0_0.jpg").content, plain.content)
        for what in ("seams", "clipped"):
            marks = self.http.get(f"{self.own}/marks/{what}/0/0/0_0.png")
            self.assertTrue(marks.content.startswith(b"\x89PNG"))
        laid = self.http.get(f"/merges/{self.merge_id}/laid/{self.frame['id']}/0/0_0.jpg")
        self.assertEqual((laid.status_code, laid.headers["content-type"]), (200, "image/jpeg"))

    def test_the_steps_are_a_file_for_the_command_line(self) -> None:
        self.step({"kind": "tone", "gamma": 1.2})
        self.step(self.stroke())
        answer = self.http.get(f"{self.own}/STEPS.json")
        self.assertIn("STEPS.json", answer.headers["content-disposition"])
        self.assertEqual([one["kind"] for one in answer.json()["steps"]], ["from_frame", "tone"])

    def test_what_was_looked_up_is_told_once_it_is_there(self) -> None:
        until(lambda: self.http.get(self.own).json()["rack"]["spots"] is not None, "the look at the frames")
        place = {"x_px": 150, "y_px": 100, "radius_px": 12}
        found = self.http.get(f"/merges/{self.merge_id}/sharpest", params=place).json()
        self.assertEqual([len(found), found[0]["figure"]], [4, 1.0])
        ends = {"base": [100, 80], "tip": [180, 120]}
        part = self.http.post(f"/merges/{self.merge_id}/part", json=ends).json()
        self.assertEqual(([100, 80], [180, 120]), (part["path"][0], part["path"][-1]))

    def test_what_cannot_be_is_refused_in_one_sentence_and_names_the_entry(self) -> None:
        self.step(self.stroke())
        cases = (
            (self.step(self.stroke(), revision=1), 409, "changed meanwhile", "revision"),
            (self.step({**self.stroke(), "file": "x.jpg"}), 422, "not among the frames", None),
            (self.step({"kind": "smudge"}), 422, "", "step"),
            (self.step({**self.stroke(), "radius_px": 0}), 422, "radius_px", None),
            (self.http.get("/mends/1000000"), 404, "no mend", None),
            (self.http.get("/mended/1000000/composite.tif"), 404, "no mend", None),
            (self.http.get(f"{self.own}/tiles/xyz/0/0_0.jpg"), 422, "", None),
            (self.http.get(f"{self.own}/tiles/0/0/150_0.jpg"), 404, "no such tile", None),
            (self.http.put(f"{self.own}/places/nowhere", json={"state": "fine"}), 422, "no such place", "key"),
            (self.http.put(f"{self.own}/name", json={"name": " "}), 422, "", "name"),
            (self.http.post(f"{self.own}/redo", json={"revision": 2}), 409, "nothing was undone", None),
        )
        for answer, status, words, field in cases:
            self.assertEqual(answer.status_code, status, answer.text)
            self.assertIn(words, answer.json()["message"])
            if field:
                self.assertTrue(answer.json()["fields"][0]["field"].startswith(field), answer.text)
        self.assertEqual(len(self.http.get(self.own).json()["steps"]), 1)


if __name__ == "__main__":
    unittest.main()
