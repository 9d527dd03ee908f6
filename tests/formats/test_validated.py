"""What a use case puts together is refused in the words of the pages."""

import unittest

from amber_ladder.errors import BadInput
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.validated import validated


class Validated(unittest.TestCase):
    def refused(self, **values: object) -> BadInput:
        with self.assertRaises(BadInput) as caught:
            validated(LadderRequestJson, values)
        return caught.exception

    def test_what_is_right_becomes_the_model(self) -> None:
        self.assertEqual(validated(LadderRequestJson, {"near_um": 5, "far_um": 9}).far_um, 9)

    def test_the_entry_and_what_is_wrong_with_it(self) -> None:
        error = self.refused(near_um=50, far_um=20)
        self.assertEqual(error.field, "far_um")
        self.assertEqual(str(error), "far_um: the far point must lie beyond the near point: swap them or set it again")

    def test_how_much_more_is_wrong(self) -> None:
        error = self.refused(near_um="x", overlap=7, rail={"click_um": -1})
        self.assertEqual(error.field, "near_um")
        self.assertIn("(and 2 more)", str(error))

    def test_what_lies_deeper_is_named_by_its_path(self) -> None:
        self.assertEqual(self.refused(near_um=0, rail={"click_um": -1}).field, "rail.click_um")

    def test_an_entry_that_nobody_knows_is_refused(self) -> None:
        self.assertIn("moon", str(self.refused(near_um=0, moon=1)))


if __name__ == "__main__":
    unittest.main()
