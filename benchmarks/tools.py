"""How fast one measures at 24 MP: every tool's answer, and the relief as Chromium draws it without a graphics card."""

import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from statistics import median

import httpx
import numpy as np
from playwright.sync_api import Page

from amber_ladder.core.measuring import KINDS
from amber_ladder.work import plan
from amber_ladder.work.shoot import own_frames
from benchmarks.frames import STEP_UM, shoot
from tests.support.browser import chromium
from tests.support.station import running
from tests.support.takes import merged, new_stack, take_of

RUNS, _OPENED = 9, 5
_SIZE_PX = (5656, 4242)
_TURNS = 45
_OPENING = """() => new Promise(done => {
  const from = performance.now();
  const seen = new MutationObserver(() => {
    if (!document.querySelector('[data-shown=true]')) return;
    seen.disconnect();
    requestAnimationFrame(() => setTimeout(() => done(performance.now() - from), 0));
  });
  seen.observe(document.body, { subtree: true, childList: true, attributes: true });
  [...document.querySelectorAll('[role=radio]')].find(one => one.textContent.trim() === 'Relief').click();
})"""
_TURNING = """async (turns) => {
  const relief = document.querySelector('[role=application][aria-label^="Relief"]');
  const shown = () => new Promise(done => requestAnimationFrame(() => setTimeout(done, 0)));
  const took = [];
  for (let turn = 0; turn < turns; turn++) {
    const from = performance.now();
    const key = turn % 20 < 10 ? 'ArrowRight' : 'ArrowLeft';
    relief.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));
    await shown();
    took.push(performance.now() - from);
  }
  return took.sort((a, b) => a - b)[Math.floor(turns / 2)];
}"""


def _merge_to_measure() -> tuple[int, int]:
    """A stack with a merge of 24 MP whose frames' positions are known: their numbers."""
    pixel_um = 2.0
    sensor = {"width_px": _SIZE_PX[0], "height_px": _SIZE_PX[1], "pixel_um": pixel_um}
    stack = new_stack("TOOLS-24", rig={"sensor": sensor}, far_um=450, step_um=STEP_UM)
    with tempfile.TemporaryDirectory(prefix="amber-ladder-tools-") as scratch:
        shoot(Path(scratch), _SIZE_PX)
        own = own_frames.begin_files(stack.id)
        for path in sorted(Path(scratch).iterdir()):
            own_frames.add_file(own.id, path.name, iter([path.read_bytes()]))
    own_frames.finish_take(own.id)
    (take,) = plan.read_stack(stack.id).takes
    known = [replace(one, rung=at, reported_um=at * STEP_UM) for at, one in enumerate(take.frames)]
    return stack.id, merged(take_of(plan.read_stack(stack.id), known)).id


def _places(kind: str, random: np.random.Generator) -> list[list[float]]:
    """Places for a measure of this kind, somewhere in the middle of the picture."""
    middle = np.array(_SIZE_PX) * random.uniform(0.4, 0.6, 2)
    what = KINDS[kind]
    corners = max(what.least, 12) if what.outline else what.least
    turn = random.uniform(0, 6) + np.arange(corners) * 2 * np.pi / corners
    return (middle + 600.0 * np.column_stack([np.cos(turn), np.sin(turn)])).tolist()  # type: ignore[no-any-return]


def _answers(http: httpx.Client, merge_id: int) -> tuple[float, dict[str, float]]:
    """Medians in ms: the floor (the kinds, read from the server), and the answer of each tool."""
    random = np.random.default_rng(4)
    floor, tools = [], {}
    for kind in KINDS:
        times = []
        for run in range(RUNS + 1):
            asked = {"kind": kind, "points": _places(kind, random)}
            if kind == "dihedral":
                asked["points_b"] = _places(kind, random)
            floor.append(_timed(partial(http.get, "/measure-kinds")))
            taken = _timed(partial(http.post, f"/merges/{merge_id}/measured", json=asked))
            if run:  # the first may compile, or open the depth map
                times.append(taken)
        tools[kind] = median(times)
    return median(floor), tools


def _timed(ask: Callable[[], httpx.Response]) -> float:
    begun = time.perf_counter()
    ask().raise_for_status()
    return 1e3 * (time.perf_counter() - begun)


def _relief(page: Page, stack_id: int) -> tuple[float, float]:
    """From the choice of the relief to the surface on the screen; a picture of it while it turns; ms."""
    page.goto(f"/stacks/{stack_id}/measure")
    page.wait_for_selector("[data-loaded=true]")
    page.wait_for_load_state("networkidle")
    opened = float(page.evaluate(_OPENING))
    page.wait_for_load_state("networkidle")
    return opened, float(page.evaluate(_TURNING, _TURNS))


def main() -> None:
    """Print the table."""
    station = running()
    stack_id, merge_id = _merge_to_measure()
    opened, turned = [], []
    for _ in range(_OPENED + 1):
        page = chromium().new_page(viewport={"width": 1280, "height": 800}, base_url=station.address)
        seen = _relief(page, stack_id)
        opened.append(seen[0])
        turned.append(seen[1])
        page.close()
    with httpx.Client(base_url=f"{station.address}api", timeout=120.0) as http:
        floor, tools = _answers(http, merge_id)
    print(f"floor: the kinds of measure, from the server: {floor:.1f} ms")
    slowest = max(tools, key=lambda kind: tools[kind])
    for kind, taken in tools.items():
        print(f"  {kind:<16} {taken / floor:5.1f} × ({taken:.0f} ms)")
    print(f"the slowest tool at 24 MP, {slowest}: {tools[slowest]:.0f} ms (to hold: 50 ms)")
    again = opened[1:]
    print(
        f"the relief of 24 MP, from its choice to the screen: the first {opened[0] / 1e3:.1f} s, then "
        f"{median(again) / 1e3:.1f} s, at most {max(again) / 1e3:.1f} s (to hold: 3 s)"
    )
    print(f"a picture of it while it turns: {median(turned):.0f} ms, {1e3 / median(turned):.0f} a second (to hold: 15)")
