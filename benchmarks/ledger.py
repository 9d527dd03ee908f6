"""The ledger over 10,000 stacks and 1,000,000 frames: every filter, every order and every plot, at the server."""

import random
import time
import urllib.parse
import urllib.request
from datetime import timedelta
from statistics import median
from typing import Any

from sqlalchemy import insert, select, text

from amber_ladder.store.base import now
from amber_ladder.store.database import transaction
from amber_ladder.store.ledger import _HAVING
from amber_ladder.store.ledger_models import LedgerRow
from amber_ladder.store.models import Product, Specimen, Stack, Take, Task
from amber_ladder.work import ledger
from amber_ladder.work.ledger.columns import COLUMNS
from tests.support.station import running
from tests.support.takes import merged, new_stack, shot_stack, take_of

STACKS, FRAMES = 10_000, 100
_LINES_WRITTEN = 300
_RUNS = 5
_KINDS = ("insect", "mineral", "plant", "snow", "fungus")
_PLOTS = (
    ("sharp_um", "step_in_medium_um"), ("effective_f_number", "detail_um"), ("specimen_kind", "depth_um"),
    ("frames_shot", "frames_carried"), ("shot_at", "seconds"), ("shot_at", "um_per_px"),
)  # fmt: skip


def main() -> None:
    """Print the table."""
    address = running().address
    written_ms = _fill()
    floor = _median_ms(address, "ledger/views", {})
    print(f"floor: a list from the server: {floor:.1f} ms")
    print(f"a line written anew: {written_ms / floor:.1f} × the floor ({written_ms:.1f} ms)")
    asked = _filters()
    worst: dict[str, tuple[float, str]] = {}
    for group, name, path, query in asked:
        taken = _median_ms(address, path, query)
        worst[group] = max(worst.get(group, (0.0, "")), (taken, name))
    for group, (taken, name) in worst.items():
        count = sum(one[0] == group for one in asked)
        print(f"{group}, the slowest of {count} ({name}): {taken / floor:.1f} × the floor ({taken:.0f} ms; "
              "to hold: 150 ms)", flush=True)  # fmt: skip


def _filters() -> list[tuple[str, str, str, dict[str, Any]]]:
    every: list[tuple[str, str, str, dict[str, Any]]] = [
        ("order", f"by {column.key}", "ledger", {"by": column.key, "descending": descending})
        for column in COLUMNS
        for descending in ("true", "false")
    ]
    singles: dict[str, dict[str, Any]] = {
        **{f"with {one}": {"having": one} for one in _HAVING},
        **{f"{key} {one}": {key: one} for key, one in (("kind", "snow"), ("rig", "rig 3"), ("medium", "resin"),
                                                       ("scale", "nominal"))},
        "words": {"words": "moss made 99"}, "range": {"range": "step_ratio:0.5:0.8"}, "since": {"since": "2026-01-01"},
        "all of them": {"kind": "snow", "having": "findings", "range": "depth_um:10:", "words": "made"},
        "the last page": {"offset": STACKS - 100},
    }  # fmt: skip
    every += [("filter", name, "ledger", query) for name, query in singles.items()]
    every += [("plot", f"{y} over {x}", "ledger/plot", {"x": x, "y": y}) for x, y in _PLOTS]
    return [*every, ("head", "columns and choices", "ledger/head", {})]


def _median_ms(address: str, path: str, query: dict[str, Any]) -> float:
    times = []
    for _ in range(_RUNS):
        began = time.perf_counter()
        with urllib.request.urlopen(f"{address}api/{path}?{urllib.parse.urlencode(query)}") as answer:
            answer.read()
        times.append(1e3 * (time.perf_counter() - began))
    return median(times)


def _fill() -> float:
    """Stacks with takes, frames and merges like one that was made by the application; returns ms for a line."""
    like = new_stack("LIKE", far_um=700)
    merge = merged(take_of(like, shot_stack().takes[0].frames))
    draw = random.Random(4)
    with transaction() as session:
        stack, product = session.get_one(Stack, like.id), session.get_one(Product, merge.id)
        first = _copies(session, Specimen, stack.specimen, lambda i: {"catalogue_number": f"MADE-{i}",
                                                                      "kind": draw.choice(_KINDS)})  # fmt: skip
        stacks = _copies(session, Stack, stack, lambda i: {"specimen_id": first + i, "rig_name": f"rig {i % 12}",
                                                           "created_at": now() - timedelta(hours=i)})  # fmt: skip
        takes = _copies(session, Take, product.take, lambda i: {"stack_id": stacks + i})
        tasks = _copies(session, Task, product.task, lambda i: {"stack_id": stacks + i})
        _copies(session, Product, product, lambda i: {"take_id": takes + i, "task_id": tasks + i, "sorting_id": None})
        session.execute(text(
            "insert into frame (take_id, place, name, sha256, suffix, bytes, width_px, height_px, bits, faults) "
            "select t, f, 'arrived_' || lpad(f::text, 3, '0') || '.jpg', lpad(to_hex(f), 64, '0'), '.jpg', 1, "
            "384, 256, 8, '[]' "
            "from generate_series(cast(:first as int), cast(:last as int)) t, "
            "generate_series(0, cast(:frames as int) - 1) f"
        ), {"first": takes, "last": takes + STACKS - 1, "frames": FRAMES})  # fmt: skip
        session.execute(text(
            "insert into ledger_stale (stack_id) select generate_series(cast(:first as int), cast(:last as int))"
        ), {"first": stacks, "last": stacks + _LINES_WRITTEN - 1})  # fmt: skip
    written_ms = _written()
    with transaction() as session:
        told = session.execute(select(LedgerRow.__table__).where(LedgerRow.stack_id == stacks)).mappings().one()
        rows = []
        for i in range(_LINES_WRITTEN, STACKS):
            much = draw.uniform(0.2, 5.0)
            more = {name: told[name] * much for name in ("sharp_um", "step_in_medium_um", "depth_um", "seconds")
                    if told[name] is not None}  # fmt: skip
            rows.append({**told, **more, "stack_id": stacks + i, "catalogue_number": f"MADE-{i}",
                         "specimen_kind": draw.choice(_KINDS), "rig_name": f"rig {i % 12}", "gaps": i % 9 == 0,
                         "findings": draw.randrange(6), "step_ratio": draw.uniform(0.3, 1.2),
                         "shot_at": now() - timedelta(hours=i), "words": f"made-{i} moss capsule rig {i % 12}",
                         "take_id": takes + i})  # fmt: skip
        session.execute(insert(LedgerRow), [{**row, "gaps": int(row["gaps"])} for row in rows])
    with transaction() as session:
        session.execute(text("analyze ledger_row"))
    return written_ms


def _written() -> float:
    began = time.perf_counter()
    while ledger.browse(ledger.PageFilter.model_validate({})).behind:
        pass
    return 1e3 * (time.perf_counter() - began) / _LINES_WRITTEN


def _copies(session: Any, kind: type[Any], like: Any, change: Any) -> int:
    """As many rows like one, under numbers that follow each other; returns the first of them."""
    table = kind.__table__
    first = int(session.execute(text(f"select coalesce(max(id), 0) + 1000 from {table.name}")).scalar_one())
    told = dict(session.execute(select(table).where(table.c.id == like.id)).mappings().one())
    session.execute(insert(table), [{**told, "id": first + i, **change(i)} for i in range(STACKS)])
    return first
