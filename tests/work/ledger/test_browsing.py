"""The ledger as it is browsed: lines that follow what happens, filters, orders, plots, views, and what to shoot again."""

import csv
import unittest
from io import BytesIO
from typing import Any, ClassVar
from unittest import mock

import pyarrow.parquet as pq
from pydantic import ValidationError
from sqlalchemy import delete

from amber_ladder.errors import BadInput, Conflict, NotFound
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.ledger import mark_behind
from amber_ladder.store.ledger_models import LedgerRow
from amber_ladder.work import cabinet, deeds, ledger, measure, plan, sort
from amber_ladder.work.ledger import lines
from amber_ladder.work.practice import takes
from amber_ladder.work.stack.views import StackView
from tests.support.examples import SPECIMEN
from tests.support.takes import a_merge, have_done, new_stack, shot_stack, take_of

KIND, OTHER = "moss of the ledger", "moss that changes"


def browse(**asked: Any) -> ledger.LedgerPage:
    page = ledger.browse(ledger.PageFilter.model_validate({"kind": [KIND], "by": "catalogue_number", **asked}))
    while page.behind:
        page = ledger.browse(ledger.PageFilter.model_validate({"kind": [KIND], "by": "catalogue_number", **asked}))
    return page


def numbers(**asked: Any) -> list[str]:
    return [row.values["catalogue_number"] for row in browse(descending=False, **asked).rows]


class Browsing(unittest.TestCase):
    planned: ClassVar[StackView]
    shot: ClassVar[StackView]
    gappy: ClassVar[StackView]
    whole: ClassVar[Any]

    @classmethod
    def setUpClass(cls) -> None:
        frames = shot_stack("LB-0").takes[0].frames
        cls.planned = new_stack("LB-1", specimen={"kind": KIND}, far_um=900)
        cls.shot = new_stack("LB-2", specimen={"kind": KIND, "locality": "Tarn Hollow, 50 % shade"}, far_um=700)
        cls.whole = a_merge(take_of(cls.shot, frames))
        cls.gappy = new_stack("LB-3", specimen={"kind": KIND, "medium": "resin", "medium_index": 1.54}, far_um=700)
        a_merge(take_of(cls.gappy, [one for one in frames if one.place not in range(8, 24)]))

    def test_a_line_tells_what_is_known_and_leaves_open_what_is_not(self) -> None:
        planned, shot, gappy = (row.values for row in browse(descending=False).rows)
        self.assertEqual((planned["frames_planned"], planned["frames_shot"], planned["step_um"]), (43, None, None))
        self.assertEqual((planned["depth_um"], planned["gaps"], planned["method"]), (None, None, None))
        self.assertEqual((shot["step_um"], shot["gaps"]), (22.5, 0))
        self.assertEqual(shot["frames_shot"], len(shot_stack("LB-0").takes[0].frames))
        self.assertGreater(shot["frames_used"], shot["frames_carried"])
        self.assertEqual((gappy["gaps"], gappy["medium"]), (1, "resin"))

    def test_spare_rungs_that_carried_are_counted_and_unknown_where_the_last_one_did(self) -> None:
        # The middle of the capsule lies at 430 µm: two rungs beyond the planned end show it, 22.5 µm apart.
        for spare, expected in ((4, 2), (2, None), (0, None)):
            stack = new_stack(f"LB-S{spare}", specimen={"kind": "spare rungs"}, far_um=405, spare_rungs=spare)
            task = takes.begin_take(stack.id, "moss-capsule").task
            assert task is not None
            have_done(task.id)
            a_merge(plan.read_stack(stack.id).takes[-1].id)
            (row,) = browse(words=f"lb-s{spare}", kind=["spare rungs"]).rows
            with self.subTest(spare):
                self.assertEqual(row.values["spare_used"], expected)

    def test_it_follows_what_happens(self) -> None:
        stack = new_stack("LB-9", specimen={"kind": OTHER, "name": "first name"}, far_um=700)
        self.assertEqual(browse(words="lb-9", kind=[OTHER]).rows[0].values["frames_planned"], 35)
        plan.set_ends(stack.id, plan.EndsEntry(near_um=0, far_um=300))
        self.assertLess(browse(words="lb-9", kind=[OTHER]).rows[0].values["frames_planned"], 35)
        label = {**SPECIMEN, "kind": OTHER, "catalogue_number": "LB-9", "name": "second name"}
        cabinet.edit_specimen(stack.specimen.id, cabinet.SpecimenEntry.model_validate(label))
        self.assertEqual(browse(words="second lb-9", kind=[OTHER]).rows[0].values["name"], "second name")
        take_id = take_of(stack, shot_stack("LB-0").takes[0].frames)
        with transaction() as session:
            frame_id = stacks.get_take(session, take_id).frames[3].id
        sort.leave_out(frame_id, sort.LeaveOutEntry(reason="dark"))
        self.assertEqual(browse(words="lb-9", kind=[OTHER]).rows[0].values["frames_left_out"], 1)
        deeds.discard(deeds.DiscardEntry(kind="specimen", id=stack.specimen.id, why="a trial"))
        self.assertEqual(browse(words="lb-9", kind=[OTHER]).total, 0)

    def test_filters_alone_and_together(self) -> None:
        for asked, found in (
            ({"words": "LB-2"}, ["LB-2"]), ({"words": "50 %"}, ["LB-2"]), ({"words": "hollow lb"}, ["LB-2"]),
            ({"medium": ["resin"]}, ["LB-3"]), ({"medium": ["resin", "air"]}, ["LB-1", "LB-2", "LB-3"]),
            ({"having": ["gap"]}, ["LB-3"]), ({"having": ["not_shot"]}, ["LB-1"]), ({"rig": ["rig of LB-3"]}, ["LB-3"]),
            ({"having": ["gap"], "medium": ["air"]}, []), ({"having": ["not_merged"]}, []),
            ({"range": ["frames_planned:36:"]}, ["LB-1"]), ({"range": ["gaps::0"]}, ["LB-2"]),
            ({"range": ["gaps::0", "frames_shot:1:"]}, ["LB-2"]), ({"since": "2000-01-01"}, ["LB-1", "LB-2", "LB-3"]),
            ({"until": "2000-01-01"}, []), ({"scale": ["nominal"]}, ["LB-1", "LB-2", "LB-3"]), ({"scale": ["picture"]}, []),
        ):  # fmt: skip
            with self.subTest(asked):
                self.assertEqual(numbers(**asked), found)

    def test_what_is_no_filter_is_refused(self) -> None:
        for wrong in ("gaps", "gaps:1", "name:1:2", "gaps:a:", "gaps:nan:", "nothing:1:2"):
            with self.subTest(wrong), self.assertRaisesRegex(BadInput, "is no range"):
                browse(range=[wrong])
        for field, value in (("by", "password"), ("having", ["lost"]), ("most", 1000), ("offset", -1)):
            with self.subTest(field), self.assertRaises(ValidationError):
                browse(**{field: value})

    def test_what_is_not_known_stands_last_whichever_way_it_is_ordered(self) -> None:
        for descending in (True, False):
            rows = browse(by="depth_um", descending=descending).rows
            self.assertEqual(rows[-1].values["catalogue_number"], "LB-1")

    def test_a_part_at_a_time(self) -> None:
        pages = [browse(most=1, offset=at, descending=False) for at in range(4)]
        self.assertEqual(
            [row.values["catalogue_number"] for page in pages for row in page.rows], ["LB-1", "LB-2", "LB-3"]
        )
        self.assertEqual({page.total for page in pages}, {3})

    def test_points_of_a_plot_are_the_stacks_of_which_both_are_known(self) -> None:
        found = ledger.plot(
            ledger.PlotFilter.model_validate({"kind": [KIND], "x": "sharp_um", "y": "step_in_medium_um"})
        )
        self.assertEqual((found.stack_id, found.left), ([self.shot.id, self.gappy.id], 1))
        self.assertEqual(found.label[0], "LB-2, stack 1")
        scales = ledger.plot(ledger.PlotFilter.model_validate({"kind": [KIND], "x": "shot_at", "y": "um_per_px"}))
        self.assertEqual(scales.u, [None, None])
        with self.assertRaisesRegex(ValidationError, "cannot be drawn"):
            ledger.PlotFilter.model_validate({"x": "rig_name", "y": "gaps"})

    def test_why_to_shoot_again_and_where(self) -> None:
        self.assertIn("LB-3", numbers(having=["again"]))
        row = browse(words="LB-3").rows[0]
        self.assertEqual((row.again[0].kind, row.again[0].stage), ("gap", "sort"))
        (low, high), *_ = row.drawing["gaps"]
        self.assertTrue(0 < low < high < 1)
        self.assertEqual(browse(words="LB-1").rows[0].again, [])

    def test_measures_of_a_series_are_columns(self) -> None:
        entry = {"kind": "length", "points": [[60, 150], [200, 150]], "name": "lid width"}
        taken = measure.take(self.whole.id, measure.MeasureEntry.model_validate(entry))
        items = {"items": [{"name": "lid width", "kind": "length"}]}
        measure.set_series(self.whole.id, measure.SeriesEntry.model_validate(items))
        self.assertIn("lid width", ledger.head().series)
        told = browse(words="LB-2").rows[0].series["lid width"]
        self.assertAlmostEqual(told["value"], taken.told.value or 0.0, delta=0.05)
        self.assertEqual(told["unit"], "µm")
        asked = {"kind": [KIND], "column": ["catalogue_number", "series:lid width", "gaps"], "by": "catalogue_number"}
        rows = list(csv.reader(ledger.as_shown(ledger.TableFilter.model_validate(asked)).splitlines()))
        self.assertEqual(rows[0], ["Specimen", "lid width", "Gaps"])
        self.assertEqual(rows[1], ["LB-3", "", "1"])
        self.assertEqual(float(rows[2][1]), told["value"])
        table = pq.read_table(BytesIO(ledger.as_parquet(ledger.TableFilter.model_validate(asked))))
        self.assertEqual(table.column_names, ["catalogue_number", "series:lid width", "gaps"])
        self.assertEqual(table.column("catalogue_number").to_pylist()[:2], ["LB-3", "LB-2"])
        self.assertEqual(table.column("series:lid width").to_pylist()[:2], [None, told["value"]])
        width, gaps = table.schema.field(1), table.schema.field(2)
        self.assertEqual(
            (width.metadata, str(width.type)), ({b"label": b"lid width", b"unit": "µm".encode()}, "double")
        )
        self.assertEqual((str(gaps.type), table.column("gaps").to_pylist()[0]), ("int64", 1))
        with self.assertRaisesRegex(BadInput, "has no column password"):
            ledger.as_shown(ledger.TableFilter.model_validate({"column": ["password"]}))

    def test_a_stack_that_cannot_be_read_hides_no_other(self) -> None:
        kind = "moss that is broken"
        broken, sound = (new_stack(f"LB-2{n}", specimen={"kind": kind}, far_um=700) for n in (1, 2))
        with transaction() as session:
            stack = stacks.get_stack(session, broken.id)
            planned, stack.plan = stack.plan, {"near_um": "nobody knows"}
        try:
            with self.assertLogs("amber_ladder.work.ledger", "ERROR") as said:
                first, second = browse(kind=[kind], descending=False).rows
                rows = [row for row in csv.DictReader(ledger.as_csv().splitlines()) if row["kind"] == kind]
        finally:
            with transaction() as session:
                stacks.get_stack(session, broken.id).plan = planned
        self.assertEqual([one.count(f"stack {broken.id} cannot be reckoned") for one in said.output], [1, 1])
        self.assertEqual([row["catalogue number"] for row in rows], ["LB-21", "LB-22"])
        self.assertEqual([row["frames planned"] for row in rows], ["", "35"])
        self.assertEqual((first.values["catalogue_number"], first.values["frames_planned"]), ("LB-21", None))
        self.assertEqual((first.values["sharp_um"], first.again), (None, []))
        self.assertEqual((second.stack_id, second.values["frames_planned"]), (sound.id, 35))

    def test_while_it_still_counts_answers_say_so_or_wait(self) -> None:
        ids = [self.planned.id, self.shot.id, self.gappy.id]
        asked = {"kind": [KIND], "column": ["catalogue_number", "frames_shot"]}
        with mock.patch.object(lines, "_WRITES_FOR_S", 0.0):
            browse()
            with transaction() as session:
                session.execute(delete(LedgerRow).where(LedgerRow.stack_id.in_(ids)))
                mark_behind(session, ids)
            told = [plan.read_before(KIND, "R-ANY", 5.0) for _ in ids]
            self.assertEqual([one.behind for one in told], [2, 1, 0])
            with transaction() as session:
                session.execute(delete(LedgerRow).where(LedgerRow.stack_id.in_(ids)))
                mark_behind(session, ids)
            with (
                mock.patch.object(lines, "_PATIENCE_S", 0.0),
                self.assertRaisesRegex(Conflict, "still counts 2 stacks"),
            ):
                ledger.as_shown(ledger.TableFilter.model_validate(asked))
            rows = list(csv.reader(ledger.as_shown(ledger.TableFilter.model_validate(asked)).splitlines()))
        self.assertEqual({row[0] for row in rows[1:]}, {"LB-1", "LB-2", "LB-3"})

    def test_views_are_kept_by_name(self) -> None:
        entry = ledger.ViewEntry(name="gaps in moss", search="kind=moss&having=gap")
        self.assertEqual([one.name for one in ledger.save_view(entry)], ["gaps in moss"])
        with self.assertRaisesRegex(Conflict, "gaps in moss already"):
            ledger.save_view(entry)
        (kept,) = ledger.views()
        self.assertEqual(kept.search, entry.search)
        self.assertEqual(ledger.forget_view(kept.id), [])
        with self.assertRaises(NotFound):
            ledger.forget_view(kept.id)
