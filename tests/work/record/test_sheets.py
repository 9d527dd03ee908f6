"""The record on paper: one sheet for an ordinary stack, with what is known, and what is not said to be unknown."""

import json
import subprocess
import sys
import unittest
from typing import ClassVar

from amber_ladder.errors import NotFound
from amber_ladder.formats.record_sheet import shared_rungs
from amber_ladder.work import measure, record
from amber_ladder.work.stack.views import MergeView, StackView
from tests.support.takes import a_merge, new_stack, shot_stack, take_of


class RecordOnPaper(unittest.TestCase):
    stack: ClassVar[StackView]
    merge: ClassVar[MergeView]

    @classmethod
    def setUpClass(cls) -> None:
        cls.stack = shot_stack("SHEET-1")
        cls.merge = a_merge(cls.stack.takes[0].id)
        entry = {"kind": "length", "points": [[60, 150], [200, 150]], "name": "width of the lid"}
        measure.take(cls.merge.id, measure.MeasureEntry.model_validate(entry))

    def text_of(self, content: bytes) -> tuple[int, str]:
        """The pages of a PDF and its words, as another program reads them."""
        read = (
            "import sys, io, json, pypdf; pdf = pypdf.PdfReader(io.BytesIO(sys.stdin.buffer.read())); "
            "print(json.dumps([len(pdf.pages), ' '.join(page.extract_text() for page in pdf.pages)]))"
        )
        done = subprocess.run([sys.executable, "-c", read], input=content, capture_output=True, check=True)
        pages, words = json.loads(done.stdout)
        return pages, " ".join(words.split())

    def test_it_says_what_the_record_says(self) -> None:
        content, name = record.record_sheet(self.merge.id)
        pages, words = self.text_of(content)
        self.assertEqual((name[:7], name[-11:], pages), ("SHEET-1", "_record.pdf", 1))
        told, _ = record.record(self.merge.id)
        used = len(told["merge"]["report"]["frames_used"])
        value = told["measured"][0]["told"]["value"]
        for part in ("SHEET-1 moss capsule", f"{used} used", "width of the lid", f"{value:.5g}", "(k = 2", "nominal",
                     "as reported", "depth pick", told["history"][-1]["sha256"], told["history"][-1]["words"]):  # fmt: skip
            self.assertIn(part, words)

    def test_what_nobody_knows_is_said_to_be_unknown(self) -> None:
        stack = new_stack("SHEET-2")
        frames = self.stack.takes[0].frames[8:16]
        take_id = take_of(stack, frames, source="files", rung=None, planned_um=None, reported_um=None)
        _, words = self.text_of(record.record_sheet(a_merge(take_id).id)[0])
        self.assertIn("Step not known", words)
        self.assertIn("in the order in which they were merged", words)

    def test_bars_are_as_long_as_shares_and_none_for_what_was_left_out(self) -> None:
        told = shared_rungs([0.1, None, 0.4, 0.0])
        self.assertEqual([one.share for one in told], [18.0, None, 72.0, 0.0])
        self.assertEqual((told[0].y, told[-1].y), (8.0, 292.0))

    def test_a_merge_that_is_not_there_has_none(self) -> None:
        with self.assertRaises(NotFound):
            record.record_sheet(999_999)


if __name__ == "__main__":
    unittest.main()
