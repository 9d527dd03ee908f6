"""What the record says of how a picture came to be: from the full record, and unknown where that knows nothing."""

import unittest
from datetime import UTC, datetime, timedelta, timezone
from typing import Any

from amber_ladder.formats.development_json import DevelopmentJson
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.stacks import camera_clock
from amber_ladder.work import plan, record, sort
from amber_ladder.work.record.details import photographed
from amber_ladder.work.stack.naming import FileNames, example
from tests.support.station import database
from tests.support.takes import a_merge, new_stack, shot_stack, take_of


def lines(merge_id: int) -> dict[str, str]:
    return dict(record.label(merge_id).details)


class Details(unittest.TestCase):
    def setUp(self) -> None:
        database()

    def test_what_was_planned_reported_and_set_is_told(self) -> None:
        shot = shot_stack("DET-0")
        take_id = take_of(new_stack("DET-1", far_um=700), shot.takes[0].frames[10:20])
        sort.set_development(take_id, sort.DevelopmentEntry(development=DevelopmentJson(exposure_stops=-0.5)))
        told = lines(a_merge(take_id).id)
        self.assertEqual(told["Put together from"], "not known")  # a rig that was typed in, without parts of the shelf
        self.assertRegex(told["Positions"], r"^10 planned, 10 reported, at most [\d.e-]+ µm from the plan$")
        self.assertEqual(told["Developed"], "white balance as shot, exposure -0.5 stops, for a display")
        self.assertRegex(
            told["Alignment"], r"no frame less sure than ± [\d.]+ px \(k = 2\) at the corners, .*brightness evened"
        )
        self.assertEqual(
            (told["Settings"], told["Measured"], told["Cautions read"]), ("the usual ones", "nothing", "none")
        )
        self.assertRegex(told["Sharp depth"], r"^[\d.]+ µm in the medium$")
        self.assertRegex(told["Version"], r"^merged by \d+\.\d+")

    def test_cautions_that_were_read_are_named(self) -> None:
        stack = new_stack("DET-3", far_um=700)
        caution = plan.cautions(stack.specimen.id)[0]
        plan.tick_caution(stack.id, plan.CautionEntry(key=caution.key))
        merge = a_merge(take_of(stack, shot_stack("DET-0").takes[0].frames[10:20]))
        self.assertEqual(lines(merge.id)["Cautions read"], caution.title)

    def test_a_merge_of_an_early_version_has_a_record_too(self) -> None:
        merge = a_merge(take_of(new_stack("DET-4", far_um=700), shot_stack("DET-0").takes[0].frames[10:20]))
        with transaction() as session:
            product = stacks.get_product(session, merge.id, "merge")
            early = {
                "crop",
                "method",
                "frames_used",
                "excluded",
                "share",
                "seconds",
                "coverage",
                "depth_um",
                "warnings",
            }
            kept = {name: value for name, value in (product.report or {}).items() if name in early}
            registration = [{"file": one["file"], "matrix": one["matrix"]} for one in merge.report["registration"]]  # type: ignore[index]
            scale = {"settings": {"um_per_px": 1.0, "order": "near-first", "order_from": "given"}}
            product.report, product.version = {**kept, "registration": registration, **scale}, None
        told = lines(merge.id)
        self.assertEqual(told["Findings"], "not looked for by the version that merged it")
        self.assertEqual((told["Alignment"], told["Version"]), ("how sure is not known", "merged by not known"))

    def test_of_files_whose_positions_and_times_nobody_knows_it_says_so(self) -> None:
        frames = shot_stack("DET-0").takes[0].frames[8:16]
        bare: dict[str, Any] = {"rung": None, "planned_um": None, "reported_um": None, "captured_at": None}
        stack = new_stack("DET-2")
        merge = a_merge(take_of(stack, frames, source="files", **bare))
        told = lines(merge.id)
        self.assertEqual((told["Positions"], told["Photographed"]), ("not known", "not known"))
        self.assertEqual(told["Developed"], "not: frames as they are")
        # That the files came in today is no day of shooting.
        self.assertEqual(example(merge.id, FileNames(files="{date}_{number}")).picture, "undated_DET-2.png")

    def test_when_it_was_photographed_comes_with_its_zone(self) -> None:
        def take(captured_at: datetime | None, *, bench: bool = False) -> str:
            clock = camera_clock(captured_at)
            at = clock["captured_at"]
            frame = {**clock, "captured_at": at.isoformat() if at else None}
            begun = datetime(2026, 11, 29, 18, 5, tzinfo=UTC).isoformat()
            return photographed({"frames": [frame], "begun_at": begun, "shot_at_bench": bench})

        naive = datetime(2026, 3, 14, 9, 30)
        for captured_at, expected in (
            (naive, "2026-03-14 09:30 by the camera's clock, whose zone it does not tell"),
            (naive.replace(tzinfo=timezone(timedelta(hours=5, minutes=45))), "2026-03-14 09:30 UTC+05:45"),
            (naive.replace(tzinfo=timezone(-timedelta(hours=3, minutes=30))), "2026-03-14 09:30 UTC-03:30"),
            (naive.replace(tzinfo=UTC), "2026-03-14 09:30 UTC"),
            (None, "not known"),
        ):
            with self.subTest(expected):
                self.assertEqual(take(captured_at), expected)
        self.assertEqual(take(naive, bench=True), "2026-11-29 18:05 UTC")


if __name__ == "__main__":
    unittest.main()
