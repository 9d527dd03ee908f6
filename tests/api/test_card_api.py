"""Cards over HTTP: what a script that brings files in relies on."""

import unittest

import httpx

from tests.support.examples import picture
from tests.support.station import running, until


class OverHttp(unittest.TestCase):
    def setUp(self) -> None:
        self.http = httpx.Client(base_url=f"{running().address}api", timeout=60.0)
        self.addCleanup(self.http.close)

    def begun(self) -> int:
        return int(self.http.post("/cards", json={"name": "over http"}).json()["id"])

    def send(self, card: int, name: str, content: bytes) -> httpx.Response:
        return self.http.put(f"/cards/{card}/files", params={"name": name}, content=content)

    def test_files_are_sent_looked_at_and_seen(self) -> None:
        card = self.begun()
        for at in range(6):
            answer = self.send(card, f"100TH/TH{at:04d}.JPG", picture(seed=21, shot=at))
            self.assertEqual(answer.status_code, 201)
        self.assertEqual(self.http.post(f"/cards/{card}/look").status_code, 200)
        until(lambda: self.http.get(f"/cards/{card}").json()["looked_at"], "the look at the card")
        view = self.http.get(f"/cards/{card}").json()
        first = view["files"][0]["id"]
        for what in ("thumb", "picture"):
            shown = self.http.get(f"/card-files/{first}/{what}.jpg")
            self.assertEqual((shown.status_code, shown.headers["content-type"]), (200, "image/jpeg"))
            self.assertTrue(shown.content.startswith(b"\xff\xd8"))
        self.assertIn(card, [one["id"] for one in self.http.get("/cards").json()])

    def test_what_cannot_be_is_refused_in_one_sentence(self) -> None:
        card = self.begun()
        cases = (
            (self.send(card, "../../etc/passwd.jpg", picture()), 422, "name that cannot be kept"),
            (self.send(10**6, "a.jpg", picture()), 404, "no card"),
            (self.http.post(f"/cards/{card}/look"), 409, "no picture yet"),
            (self.http.put(f"/cards/{card}/folder", json={"folder": "/etc"}), 422, "folders below"),
            (self.http.put(f"/cards/{card}/borders", json={"add": [1]}), 422, "no such file"),
            (self.http.post("/cards", json={"name": " "}), 422, ""),
            (self.http.get("/card-files/1000000/thumb.jpg"), 404, "no file"),
        )
        for answer, status, words in cases:
            self.assertEqual(answer.status_code, status, answer.text)
            self.assertIn(words, answer.json()["message"])

    def test_a_file_that_is_no_picture_is_told_with_the_reason(self) -> None:
        card = self.begun()
        answer = self.send(card, "notes.jpg", b"a text")
        self.assertEqual(answer.status_code, 201)
        self.assertIn("no JPEG", answer.json()["refused"])


if __name__ == "__main__":
    unittest.main()
