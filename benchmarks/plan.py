"""How long a plan takes: at the server, and from the key press to the new ladder on the page."""

import json
import time
import urllib.request
from statistics import median
from typing import Any

from tests.support.browser import chromium
from tests.support.examples import PLAN, RIG, SPECIMEN
from tests.support.station import running

_REQUESTS = 60
_FAR_UM = tuple(str(far) for far in range(600, 3000, 200))
_WATCH = """() => {
  window.pressed = 0;
  window.shown = [];
  document.addEventListener('input', () => { window.pressed = performance.now(); }, true);
  const headline = document.querySelector('p.head[aria-live]');
  new MutationObserver(() => window.shown.push(performance.now() - window.pressed))
    .observe(headline, { childList: true, characterData: true, subtree: true });
}"""


def _ask(address: str, path: str, body: dict[str, Any] | None = None) -> tuple[float, Any]:
    data = None if body is None else json.dumps(body).encode()
    request = urllib.request.Request(f"{address}api/{path}", data, {"Content-Type": "application/json"})
    started = time.perf_counter()
    with urllib.request.urlopen(request) as answer:
        content = json.loads(answer.read())
    return (time.perf_counter() - started) * 1e3, content


def measure() -> tuple[float, float, float]:
    """Medians in ms: the floor (a request that only reads one row), a plan, and the page."""
    station = running()
    _, rig = _ask(station.address, "rigs", RIG)
    _, specimen = _ask(station.address, "specimens", SPECIMEN)
    body = {"rig": rig["rig"], "plan": {**PLAN, "far_um": 3000}}
    floor, plans = [], []
    for i in range(_REQUESTS):
        floor.append(_ask(station.address, f"specimens/{specimen['id']}")[0])
        body["plan"]["overlap"] = 0.3 + i / 1000
        plans.append(_ask(station.address, "plan/preview", body)[0])
    return median(floor), median(plans), _page(station.address, specimen["id"])


def _page(address: str, specimen_id: int) -> float:
    page = chromium().new_page(viewport={"width": 1280, "height": 800}, base_url=address, bypass_csp=True)
    page.goto(f"/specimens/{specimen_id}/plan")
    page.wait_for_selector("p.head[aria-live] >> text=frames")
    page.evaluate(_WATCH)
    times = []
    field = page.get_by_label("Farthest point").first
    for value in _FAR_UM:
        before = page.evaluate("window.shown.length")
        field.fill(value)
        page.wait_for_function("n => window.shown.length > n", arg=before)
        times.append(page.evaluate("window.shown.at(-1)"))
    page.close()
    return float(median(times))
