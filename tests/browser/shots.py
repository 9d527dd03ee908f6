"""``./ladder shots``: current pictures of the main views from the demo data, into docs/screenshots."""

import re
import sys

from playwright.sync_api import Page

from amber_ladder.demo.shelf import DEMO, FIVE
from amber_ladder.demo.tarn_hollow import load_first, load_rest
from amber_ladder.launch.serve import SOURCE
from amber_ladder.work import card
from amber_ladder.work.plan import read_stack
from amber_ladder.work.practice import attempts
from tests.support.browser import chromium
from tests.support.station import database, running
from tests.support.takes import flawed_stack, merged, take_of

OUT = SOURCE / "docs" / "screenshots"
LACEWING = {"name": "lacewing head, front", "kind": "insect", "mount": "pinned"}
WIDE = {"sensor": {"width_px": 1152, "height_px": 768, "pixel_um": 5.0}}


def main() -> int:
    """Load the demo, visit each view at 1280×800, save a PNG of each."""
    import threading

    database()
    load_first(print)
    station = running()
    load_rest(threading.Event())
    # The station lets no page evaluate strings, which is how Playwright waits for a condition.
    page = chromium().new_page(viewport={"width": 1280, "height": 800}, base_url=station.address, bypass_csp=True)
    page.set_default_timeout(120_000)
    OUT.mkdir(parents=True, exist_ok=True)
    assert DEMO[0].label.catalogue_number == "TH-0418"
    for name, path in (
        ("cabinet", "/"),
        ("plan", "/stacks/1/plan"),
        ("card", "/card/1"),
        ("ledger", "/ledger"),
        ("bench-sheet", "/api/stacks/1/bench-sheet"),
    ):
        page.goto(path)
        keep(page, name)
    page.goto("/day")
    page.get_by_role("button", name="Best order").click()
    page.get_by_text("order is possible").or_(page.get_by_text("order that was found")).wait_for()
    keep(page, "day")
    _sort(page)
    page.goto("/rigs")
    page.get_by_role("button", name=FIVE).click()
    keep(page, "rigs")
    page.get_by_role("button", name="Scale from a picture").click()
    with page.expect_response("**/calibration-pictures/**") as answer:
        page.get_by_role("button", name="Shoot the ruled slide on the simulated bench").click()
    answer.value.finished()
    keep(page, "scale")
    _merge(page)
    _mend(page)
    _measure(page)
    _record(page)
    _practice(page)
    _shoot(page)
    return 0


def _practice(page: Page) -> None:
    """An exercise, half answered."""
    entry = attempts.AttemptEntry(kind="depth", level=1, seed=4, specimen="lacewing-eyes")
    page.goto(f"/practice/{attempts.begin(entry).id}")
    page.get_by_label("Frame", exact=True).fill("7")
    page.get_by_role("img", name="Frame 7").wait_for()
    page.get_by_role("button", name="Frame 7, which is shown").first.click()
    page.get_by_label("The depth is certain to").fill("25")
    page.wait_for_timeout(2000)
    keep(page, "practice")


def _sort(page: Page) -> None:
    """The card's first stack, accepted: a take in which frames are left out."""
    view = card.read(1)
    card.accept(1, card.AcceptEntry(stacks=[view.stacks[0].first]))
    page.goto("/stacks/1/sort")
    page.get_by_role("img", name=re.compile("developed")).wait_for()
    keep(page, "sort")


def _merge(page: Page) -> None:
    """The moss once more, with rungs missing in the middle of the capsule: what is found, and where it leads."""
    stack = read_stack(1)
    frames = stack.takes[0].frames
    take_id = take_of(stack, [*frames[:12], *frames[15:]])
    merged(take_id, "auto")
    page.goto(f"/stacks/1/merge?take={take_id}")
    page.get_by_role("list", name="Findings").wait_for()
    keep(page, "merge")
    page.get_by_role("button", name="Try a patch").click()
    seen = page.get_by_role("button", name=re.compile("Draw a rectangle")).bounding_box()
    assert seen
    x, y = seen["x"] + 0.41 * seen["width"], seen["y"] + 0.14 * seen["height"]
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 118, y + 140, steps=4)
    page.mouse.up()
    page.wait_for_function("document.querySelectorAll('section img[src^=data]').length === 4")
    page.screenshot(path=OUT / "patch.png")
    page.keyboard.press("Escape")


def _mend(page: Page) -> None:
    """A lacewing, with dust on the sensor: places, a stroke and its seam; then in a dim room with its ground set."""
    stack = flawed_stack("TH-0431", "lacewing-eyes", "dust", rig=WIDE, specimen=LACEWING, far_um=420)
    merged(stack.takes[0].id, "auto")
    page.goto(f"/stacks/{stack.id}/mend")
    page.get_by_role("button", name="Mend this merge").click()
    page.get_by_text("spots of dust on the sensor").wait_for()
    for _ in range(3):
        page.keyboard.press("n")
    page.get_by_text("100 %", exact=True).last.wait_for()
    seen = page.get_by_role("application").bounding_box()
    assert seen
    x, y = seen["x"] + 0.5 * seen["width"], seen["y"] + 0.5 * seen["height"]
    page.mouse.move(x - 60, y)
    page.get_by_text("takes it").wait_for()
    page.keyboard.press("s")
    page.mouse.down()
    page.mouse.move(x, y + 10, steps=8)
    page.mouse.move(x + 60, y, steps=8)
    page.mouse.up()
    page.get_by_text("Paint, rung").wait_for()
    page.keyboard.press("v")
    page.get_by_role("button", name="Replace").click()
    page.get_by_text(re.compile("^Dust,")).wait_for()
    page.wait_for_timeout(1500)
    keep(page, "mend")


def _measure(page: Page) -> None:
    """The fern: what was measured before, and a true length with what makes it uncertain."""
    page.goto("/stacks/8/measure")
    page.locator("[data-loaded=true]").wait_for()
    seen = page.get_by_role("application").bounding_box()
    assert seen

    def pick(*places: tuple[float, float]) -> None:
        for x, y in places:
            page.mouse.click(seen["x"] + x * seen["width"], seen["y"] + y * seen["height"])

    for kind, name, places in (
        ("Length", "long axis", [(0.607, 0.425), (0.755, 0.325)]),
        ("Along the surface", "over the annulus", [(0.44, 0.56), (0.54, 0.6)]),
        ("Height", "above the ground", [(0.5, 0.42), (0.13, 0.75)]),
    ):
        page.get_by_role("radio", name=kind, exact=True).check(force=True)
        pick(*places)
        page.get_by_label("Name (its number, if empty)").fill(name)
        page.get_by_role("button", name="Take the measure").click()
        page.get_by_role("button", name=re.compile(f"^{name}")).wait_for()
        page.get_by_role("button", name=re.compile(f"^{name}")).click()
    page.get_by_role("button", name="Fit").click()
    page.get_by_role("radio", name="True length", exact=True).check(force=True)
    pick((0.36, 0.4), (0.61, 0.5))
    page.get_by_role("img", name=re.compile("^Section along the line")).wait_for()
    page.wait_for_timeout(2500)
    keep(page, "measure")
    page.get_by_role("radio", name="Relief", exact=True).click()
    page.locator("[data-shown=true]").wait_for()
    page.get_by_role("checkbox", name="Contour lines").click()
    page.get_by_role("button", name="Begin anew").click()
    page.wait_for_timeout(2500)
    keep(page, "relief")


def _record(page: Page) -> None:
    page.goto("/stacks/4/record")
    page.get_by_role("button", name="Pack the stack").click()
    page.get_by_role("link", name="Save package").wait_for()
    page.get_by_role("heading", name="Record").scroll_into_view_if_needed()
    keep(page, "record")


def _shoot(page: Page) -> None:
    """The sundew: ends found and light tested in a dim room, then the ladder half way up in daylight."""
    page.goto("/stacks/6/shoot")
    page.get_by_role("button", name="Move by +10 µm").and_(page.locator(":enabled")).wait_for()
    page.keyboard.press("d")
    page.get_by_role("button", name="To near point").click()
    page.get_by_test_id("position").filter(has_text="9.1").wait_for()
    page.get_by_role("button", name="Find the ends").click()
    page.get_by_role("button", name="Use these ends").click(timeout=240_000)
    light = page.get_by_label("Light")
    light.get_by_role("button", name="Test frame").click()
    light.get_by_text("below clipping").wait_for()
    light.get_by_role("button", name="Flash off").click()
    light.get_by_text("none seen").wait_for()
    page.get_by_role("button", name="To near point").click()
    for _ in range(6):
        page.get_by_role("button", name="Move by +100 µm").click()
    page.keyboard.press("?")
    page.get_by_role("dialog", name="Keys").evaluate("sheet => sheet.scrollTo(0, 420)")
    keep(page, "keys")
    page.keyboard.press("Escape")
    page.keyboard.press("l")
    page.wait_for_timeout(20_000)  # until the live view has looked at what lies near
    page.screenshot(path=OUT / "shoot-dim.png")
    page.keyboard.press("d")
    page.keyboard.press("l")
    page.get_by_role("button", name="Shoot this ladder").click()
    sheet = page.get_by_role("dialog", name="Before the run")
    sheet.get_by_role("checkbox").first.wait_for()
    for box in sheet.get_by_role("checkbox").all():
        box.check()
    page.get_by_role("button", name="Start the run").click()
    page.get_by_role("button", name="Rung 28,").wait_for(timeout=240_000)
    page.get_by_role("button", name="Growing picture").click()
    page.get_by_role("img", name="Growing picture").wait_for()
    keep(page, "shoot")
    page.get_by_role("button", name="Stop now").click()
    page.get_by_text("Stopped:").wait_for()


def keep(page: Page, name: str) -> None:
    """Save the page as it is once everything on it is there."""
    settle(page)
    page.screenshot(path=OUT / f"{name}.png")
    print(OUT / f"{name}.png")


def settle(page: Page) -> None:
    """Wait until fonts and all pictures on the page are there."""
    page.evaluate("document.fonts.ready")
    if page.url.endswith("/record"):
        page.get_by_alt_text(re.compile("with its scale bar")).wait_for()
    # What is being waited for is said with three dots at the end of a line.
    page.wait_for_function(
        "[...document.images].every(i => i.complete) && [...document.querySelectorAll('body *')].every("
        "e => e.children.length || e.closest('button, select, option, label') || !/ …$/.test(e.textContent.trim()))"
    )
    if page.url.endswith("/merge"):
        page.wait_for_selector("[data-loaded=true]")


if __name__ == "__main__":
    sys.exit(main())
