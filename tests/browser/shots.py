"""``./ladder shots``: current pictures of the main views from the demo data, into docs/screenshots."""

import sys

from playwright.sync_api import Page

from amber_ladder.demo.shelf import DEMO, FIVE
from amber_ladder.demo.tarn_hollow import load_first, load_rest
from amber_ladder.launch.serve import SOURCE
from tests.support.browser import chromium
from tests.support.station import database, running

OUT = SOURCE / "docs" / "screenshots"


def main() -> int:
    """Load the demo, visit each view at 1280×800, save a PNG of each."""
    import threading

    database()
    load_first(print)
    station = running()
    load_rest(threading.Event())
    page = chromium().new_page(viewport={"width": 1280, "height": 800}, base_url=station.address)
    OUT.mkdir(parents=True, exist_ok=True)
    assert DEMO[0].label.catalogue_number == "TH-0418"
    for name, path in (
        ("cabinet", "/"),
        ("plan", "/stacks/1/plan"),
        ("shoot", "/stacks/2/shoot"),
        ("merge", "/stacks/1/merge"),
        ("record", "/stacks/4/record"),
        ("bench-sheet", "/api/stacks/1/bench-sheet"),
    ):
        page.goto(path)
        keep(page, name)
    page.goto("/rigs")
    page.get_by_role("button", name=FIVE).click()
    keep(page, "rigs")
    page.get_by_role("button", name="Scale from a picture").click()
    with page.expect_response("**/calibration-pictures/**") as answer:
        page.get_by_role("button", name="Shoot the ruled slide on the simulated bench").click()
    answer.value.finished()
    keep(page, "scale")
    page.goto("/stacks/4/shoot")
    page.keyboard.press("d")
    keep(page, "shoot-dim")
    return 0


def keep(page: Page, name: str) -> None:
    """Save the page as it is once everything on it is there."""
    settle(page)
    page.screenshot(path=OUT / f"{name}.png")
    print(OUT / f"{name}.png")


def settle(page: Page) -> None:
    """Wait until fonts and all pictures on the page are there."""
    page.evaluate("document.fonts.ready")
    page.wait_for_function("[...document.images].every(i => i.complete) && !document.body.innerText.includes('…')")
    if page.url.endswith("/merge"):
        page.wait_for_selector("[data-loaded=true]")


if __name__ == "__main__":
    sys.exit(main())
