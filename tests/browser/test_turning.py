"""Shooting without a rail: a rig's knob entered, a plan read off it, rungs called one after another, and put right."""

import re
import shutil
import tempfile
from pathlib import Path

from playwright.sync_api import expect

from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.work import cabinet, plan, rigs
from tests.support.browser import PageTest
from tests.support.examples import PLAN, RIG, SPECIMEN, picture

_KNOB = {"um_per_division": 2.0, "divisions_per_turn": 100}


class Turning(PageTest):
    def confirm_and_start(self) -> None:
        sheet = self.page.get_by_role("dialog", name="Before the run")
        expect(sheet.get_by_role("checkbox").first).to_be_visible()
        for box in sheet.get_by_role("checkbox").all():
            box.check()
        sheet.get_by_role("button", name="Start the run").click()

    def watch(self, folder: Path) -> None:
        """Let frames come into a folder of this test, and into the station's own after it."""
        self.addCleanup(self.settle, "")
        self.settle(str(folder))

    def settle(self, folder: str) -> None:
        self.assertTrue(self.page.request.patch("/api/bench", data={"folder": folder}).ok)

    def test_1_a_rigs_knob_and_a_plan_that_is_read_off_it(self) -> None:
        page = self.page
        specimen = cabinet.add_specimen(
            cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": "TU-1", "name": "jewel wasp", "kind": "insect"})
        )
        rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "a microscope with a knob"}))
        self.allowed = [f"/rigs/{rig.id}", "/rigs/preview"]
        page.goto("/rigs")
        page.get_by_role("button", name=re.compile("a microscope with a knob")).click()
        page.get_by_text("Knob turned by hand").click()
        page.get_by_label("One division moves focus by").fill("2")
        page.get_by_role("button", name="Save the rig").click()
        # Half a knob is none: it says what is missing.
        expect(page.get_by_label("Divisions in a turn")).to_have_attribute("aria-invalid", "true")
        page.get_by_label("Divisions in a turn").fill("100")
        page.get_by_role("button", name="Save the rig").click()
        expect(page.get_by_text("Version 2.")).to_be_visible()
        self.assertEqual(next(one for one in rigs.shelf() if one.id == rig.id).rig.knob.um_per_division, 2.0)  # type: ignore[union-attr]
        page.goto(f"/specimens/{specimen.id}/plan")
        page.get_by_role("combobox", name="Rig").click()
        page.get_by_role("option", name="a microscope with a knob").click()
        page.get_by_role("combobox", name="Focus is moved by").click()
        page.get_by_role("option", name="the knob, 2.00 µm a division, as engraved").click()
        page.get_by_label("Knob reads at the nearest point").fill("12.5")
        page.get_by_label("Farthest point").fill("200")
        expect(page.get_by_text(re.compile(r"The knob reads [\d.]+ at the first rung"))).to_be_visible()
        self.assert_accessible()
        page.get_by_role("button", name="Save this ladder").click()
        page.wait_for_url("**/shoot")
        expect(page.get_by_role("region", name="Knob")).to_contain_text("Nearest point in focus at12.5")

    def test_2_rungs_are_called_and_put_right(self) -> None:
        page = self.page
        specimen = cabinet.add_specimen(cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": "TU-2"}))
        rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "turned by hand", "knob": _KNOB}))
        spaced = {"near_um": 0, "far_um": 80, "step_um": 20, "spare_rungs": 1, "rail": None}
        entry = {**PLAN, **spaced, "knob": {**_KNOB, "near_reading": 95}}
        stack = plan.save_ladder(specimen.id, plan.PlanEntry(rig_id=rig.id, plan=LadderRequestJson(**entry)))
        folder = Path(tempfile.mkdtemp(prefix="amber-ladder-turning-"))
        self.addCleanup(shutil.rmtree, folder)
        self.watch(folder)
        folder.rmdir()
        page.goto(f"/stacks/{stack.id}/shoot")
        page.get_by_role("button", name="Shoot this ladder").click()
        sheet = page.get_by_role("dialog", name="Before the run")
        expect(sheet).to_contain_text(f"{folder} is gone: make it again")
        expect(sheet.get_by_role("button", name="Something is in the way")).to_be_disabled()
        folder.mkdir()
        sheet.get_by_role("button", name="Close").click()
        page.get_by_role("button", name="Shoot this ladder").click()
        self.confirm_and_start()
        run = page.get_by_role("region", name="Run")
        # The first rung lies ten divisions before 95, and is come to from before.
        expect(run).to_contain_text("First back to")
        expect(run).to_contain_text("(rung 1 of 7)")
        expect(run.get_by_text("85", exact=True)).to_be_visible()
        self.assert_accessible()
        page.keyboard.press("j")
        expect(run).to_contain_text("(rung 2 of 7)")
        page.get_by_role("button", name="It is there: shoot").click()
        expect(run).to_contain_text("(rung 3 of 7)")
        expect(run).to_contain_text("1 turn further")  # 105 is 5 on the drum
        page.keyboard.press("A")
        expect(run).to_contain_text("Turn to, again (rung 2 of 7)")
        page.keyboard.press("j")
        expect(run).to_contain_text("(rung 3 of 7)")
        page.get_by_text("It read something else, or another rung").click()
        page.get_by_label("The last frame was shot at").fill("97")
        page.get_by_role("button", name="That is what the knob read").click()
        expect(run).to_contain_text("(rung 3 of 7)")
        for rung in range(4, 8):
            page.keyboard.press("j")
            expect(run).to_contain_text(f"(rung {rung} of 7)")
        page.keyboard.press("j")
        cue = page.get_by_role("button", name=re.compile("7 of 7 rungs have their frame"))
        expect(cue).to_be_visible()
        cue.click()
        self.assert_accessible()
        take = plan.read_stack(stack.id).takes[0]
        kept = [one for one in take.frames if one.left_out is None]
        self.assertEqual([one.rung for one in kept], list(range(7)))
        self.assertEqual([one.reported_um for one in kept if one.reported_um is not None], [4.0])

    def test_9_a_camera_that_keeps_its_frames_and_files_that_come_later(self) -> None:
        page = self.page
        specimen = cabinet.add_specimen(cabinet.SpecimenEntry(**{**SPECIMEN, "catalogue_number": "TU-9"}))
        rig = rigs.add_rig(rigs.RigEntry(**{**RIG, "name": "an untethered camera", "knob": _KNOB}))
        spaced = {"near_um": 0, "far_um": 40, "step_um": 20, "spare_rungs": 0, "rail": None}
        entry = {**PLAN, **spaced, "knob": {**_KNOB, "near_reading": 10}}
        stack = plan.save_ladder(specimen.id, plan.PlanEntry(rig_id=rig.id, plan=LadderRequestJson(**entry)))
        page.goto(f"/stacks/{stack.id}/shoot")
        page.get_by_role("button", name="Call the rungs, frames come later").click()
        self.confirm_and_start()
        run = page.get_by_role("region", name="Run")
        expect(run).to_contain_text("(rung 1 of 3)")
        page.keyboard.press("j")
        expect(run).to_contain_text("(rung 2 of 3)")
        run.get_by_role("button", name="The last press was none").click()
        expect(run).to_contain_text("(rung 1 of 3)")
        self.assert_accessible()
        page.keyboard.press("j")
        expect(run).to_contain_text("(rung 2 of 3)")
        run.get_by_role("button", name="It is shot: next").click()
        expect(run).to_contain_text("(rung 3 of 3)")
        page.keyboard.press("j")
        expect(run).to_contain_text("3 of 3 rungs were shot, by 3 presses")
        expect(page.get_by_text("3 of 3 shot")).to_be_visible()
        run.get_by_role("button", name="Bring the files").click()
        frames = [
            {"name": f"IMG_{n}.jpg", "mimeType": "image/jpeg", "buffer": picture(384, 256, seed=n)} for n in range(3)
        ]
        page.get_by_label("Frames to add").set_input_files(frames)  # type: ignore[arg-type]
        page.get_by_role("button", name="Use these 3 frames").click()
        expect(run).to_contain_text("Take 2: 3 frames")
        take = plan.read_stack(stack.id).takes[1]
        self.assertEqual([frame.planned_um for frame in take.frames], [0.0, 20.0, 40.0])
