"""The day and the queue over HTTP: read, changed, ordered, refused with what to do."""

import unittest
from typing import Any, ClassVar

from starlette.testclient import TestClient

from amber_ladder.api.app import create_app
from tests.support.station import database
from tests.support.takes import new_stack

HOURS = {"starts_at": "2033-05-01T08:00:00Z", "ends_at": "2033-05-01T16:00:00Z"}


class DayApi(unittest.TestCase):
    client: ClassVar[TestClient]

    @classmethod
    def setUpClass(cls) -> None:
        database()
        cls.client = TestClient(create_app(), base_url="http://localhost")

    def put(self, on: str, **entry: Any) -> Any:
        return self.client.put(f"/api/days/{on}", json={**HOURS, **entry})

    def test_a_list_is_kept_ordered_and_not_overwritten_unseen(self) -> None:
        self.assertIsNone(self.client.get("/api/days/2033-05-01").json())
        items = [{"stack_id": new_stack(f"DA-{number}").id} for number in (1, 2)]
        made = self.put("2033-05-01", items=items).json()
        self.assertEqual((made["day"]["revision"], len(made["day"]["items"]), made["before"]), (1, 2, None))
        ordered = self.client.post("/api/days/2033-05-01/order?seen=1").json()
        self.assertEqual((ordered["proven"], ordered["day"]["revision"]), (True, 2))
        refused = self.put("2033-05-01", items=[], seen=1)
        self.assertEqual(refused.status_code, 409)
        self.assertIn("changed meanwhile", refused.json()["message"])
        self.assertEqual(len(self.client.get("/api/days/2033-05-01").json()["items"]), 2)

    def test_what_cannot_be_is_refused_by_its_field(self) -> None:
        for status, entry in (
            (422, {"ends_at": "2033-05-01T07:00:00Z"}),
            (422, {"change_min": -1}),
            (422, {"items": [{"stack_id": 1, "vanishes": {"air_celsius": 99}}]}),
            (422, {"items": [{"stack_id": 999_999_999}]}),
        ):
            with self.subTest(entry=entry):
                answer = self.put("2033-05-02", **entry)
                self.assertEqual(answer.status_code, status, answer.text)
                self.assertTrue(answer.json()["message"])
        self.assertIsNone(self.client.get("/api/days/2033-05-02").json())
        self.assertEqual(self.client.get("/api/days/yesterday").status_code, 422)
        self.assertEqual(self.client.post("/api/days/2033-05-03/order?seen=0").status_code, 404)

    def test_merges_are_held_and_let_go(self) -> None:
        self.addCleanup(self.client.delete, "/api/queue/hold")
        held = self.client.put("/api/queue/hold", json={"reason": "told"})
        self.assertEqual((held.status_code, held.json()), (200, {"reason": "told", "until": None}))
        self.assertEqual(self.client.get("/api/queue/hold").json()["reason"], "told")
        self.assertEqual(self.client.put("/api/queue/hold", json={"reason": "time"}).status_code, 422)
        self.assertEqual(self.client.delete("/api/queue/hold").status_code, 204)
        self.assertIsNone(self.client.get("/api/queue/hold").json())
        self.assertEqual(self.client.put("/api/queue/order", json={"task_ids": [999_999]}).status_code, 200)


if __name__ == "__main__":
    unittest.main()
