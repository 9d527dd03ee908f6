"""How fast a stroke is on the page of Mend, on a picture of 24 MP: under the pointer, and as computed pixels."""

import tempfile
from pathlib import Path
from statistics import median

from playwright.sync_api import Page

from amber_ladder.work import mend
from amber_ladder.work.shoot import own_frames
from benchmarks.mending import prepare
from tests.support.browser import chromium
from tests.support.station import running
from tests.support.takes import have_done, merged, new_stack

_FRAMES, _STROKES = 6, 9
_SENSOR = {"width_px": 5656, "height_px": 4242, "pixel_um": 3.0}
_DRAW = """async ([x, y]) => {
  const picture = document.querySelector('[role=application]');
  picture.setPointerCapture = () => {};
  const fire = (kind, x, y, buttons) => picture.dispatchEvent(new PointerEvent(kind,
    { bubbles: true, pointerId: 1, clientX: x, clientY: y, buttons, pointerType: 'mouse' }));
  const shown = () => new Promise(done => requestAnimationFrame(() => setTimeout(done, 0)));
  const took = async (work) => {
    const from = performance.now();
    work();
    await shown();
    return performance.now() - from;
  };
  const idle = [], drawn = [];
  for (let i = 0; i < 40; i++) idle.push(await took(() => {}));
  fire('pointerdown', x, y, 1);
  for (let i = 0; i < 40; i++)
    drawn.push(await took(() => fire('pointermove', x + 4 * i, y + 10 * Math.sin(i / 5), 1)));
  fire('pointerup', x + 160, y, 0);
  const middle = (all) => all.sort((a, b) => a - b)[Math.floor(all.length / 2)];
  return [middle(idle), middle(drawn)];
}"""
_LETTING_GO = """() => {
  window.let_go = 0;
  const note = () => { window.let_go = performance.now(); };
  document.querySelector('[role=application]').addEventListener('pointerup', note, true);
}"""
_CAME = """() => {
  const tiles = performance.getEntriesByType('resource')
    .filter(one => one.name.includes('/tiles/') && one.startTime > window.let_go);
  return tiles.length ? Math.max(...tiles.map(one => one.responseEnd)) - window.let_go : 0;
}"""


def measure() -> tuple[float, float, float]:
    """Medians in ms: the floor (a frame of the page with nothing to draw), a move of the brush, a computed stroke."""
    station = running()
    with tempfile.TemporaryDirectory(prefix="amber-ladder-brush-") as scratch:
        frames, _ = prepare(Path(scratch))
        stack = new_stack("BRUSH-1", rig={"sensor": _SENSOR})
        take = own_frames.begin_files(stack.id)
        for path in sorted(frames.iterdir())[:_FRAMES]:
            own_frames.add_file(take.id, path.name, iter([path.read_bytes()]))
    own_frames.finish_take(take.id)
    done = merged(take.id)
    view = mend.begin(done.id, mend.MendEntry())
    assert view.rack.task is not None
    have_done(view.rack.task.id)
    page = chromium().new_page(viewport={"width": 1280, "height": 800}, base_url=station.address, bypass_csp=True)
    page.goto(f"/stacks/{stack.id}/mend")
    page.wait_for_selector("[data-loaded=true]")
    page.get_by_role("button", name="1 : 1").first.click()
    box = page.get_by_role("application").bounding_box()
    assert box is not None
    x, y = box["x"] + 0.4 * box["width"], box["y"] + 0.4 * box["height"]
    page.mouse.move(x, y)
    page.get_by_text("takes it").wait_for()
    page.keyboard.press("s")
    page.wait_for_load_state("networkidle")
    floor_ms, move_ms = page.evaluate(_DRAW, [x, y])
    page.get_by_role("list", name="Steps of this mend").get_by_role("listitem").first.wait_for()
    return float(floor_ms), float(move_ms), median(_stroke(page, x, y + 20 * at) for at in range(_STROKES))


def _stroke(page: Page, x: float, y: float) -> float:
    """From letting the brush go to the last tile of what it painted, ms."""
    page.evaluate(_LETTING_GO)
    steps = page.get_by_role("list", name="Steps of this mend").get_by_role("listitem")
    before = steps.count()
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 80, y, steps=8)
    page.mouse.up()
    steps.nth(before).wait_for()
    page.wait_for_function(f"({_CAME})() > 0")  # until then the network is idle, too
    page.wait_for_load_state("networkidle")
    return float(page.evaluate(_CAME))
