"""How far sorting simulated cards comes to the truth: thresholds were chosen on even seeds, odd ones are reported."""

import tempfile
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import TypeVar

import cv2

from amber_ladder.core.frames import no_progress
from amber_ladder.core.sorting.run import SeenFile, Stack, sort_run
from amber_ladder.simulated.card import SimulatedCard, TakeTruth, shoot_card
from amber_ladder.work.on_disk.checking import files_on, look_through

T = TypeVar("T")
SEEDS = tuple(range(1, 40, 2))
_UNSURE_CLIPPED = (0.006, 0.016)  # share: whether that is more than 1 % depends on the noise


def judged(seed: int) -> Counter[tuple[str, str]]:
    """Counts of one card: (what, right | missed | false | …)."""
    cv2.setNumThreads(1)
    card = shoot_card(seed)
    with tempfile.TemporaryDirectory(prefix="amber-ladder-card-") as folder:
        for file in card.files:
            path = Path(folder) / file.path
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(file.content)
        files, _ = files_on(Path(folder))
        seen, unreadable = look_through(files, no_progress)
    counts: Counter[tuple[str, str]] = Counter()
    _compare(counts, "unreadable", {one.name for one in unreadable}, {one.path for one in card.files if one.broken})
    run = sort_run(seen)
    truth = {file.path: file for file in card.files}
    takes = [truth[file.name].take for file in seen]
    at_border = {
        after for place, after in zip(_frames(takes), _frames(takes)[1:], strict=False) if takes[place] != takes[after]
    }
    _compare(counts, "borders", {one.before for one in run.borders}, at_border)
    _compare(counts, "separators", set(run.separators), {at for at, take in enumerate(takes) if take is None})
    for stack in run.stacks:
        take = takes[stack.places[0]]
        if take is not None:
            _judge_stack(counts, stack, card, card.takes[take], seen)
    return counts


def _frames(takes: list[int | None]) -> list[int]:
    return [place for place, take in enumerate(takes) if take is not None]


def _compare(counts: Counter[tuple[str, str]], what: str, found: set[T], true: set[T]) -> None:
    counts[what, "right"] += len(found & true)
    counts[what, "missed"] += len(true - found)
    counts[what, "false"] += len(found - true)


def _judge_stack(
    counts: Counter[tuple[str, str]], stack: Stack, card: SimulatedCard, truth: TakeTruth, seen: list[SeenFile]
) -> None:
    by_path = {file.path: file for file in card.files}
    found: dict[int, set[str]] = {}
    for flag in stack.flags:
        found.setdefault(flag.place, set()).add(flag.kind)
    for place in stack.places:
        unsure = by_path[seen[place].name].unsure
        true, told = set(by_path[seen[place].name].flags), found.get(place, set()) - unsure
        if _UNSURE_CLIPPED[0] < seen[place].look.clipped < _UNSURE_CLIPPED[1]:
            true, told = true - {"clipped"}, told - {"clipped"}
        for kind in true | told:
            _compare(counts, kind, told & {kind}, true & {kind})
    names = [seen[place].name for place in stack.places]
    holes = {(seen[one.after].name, seen[one.before].name) for one in stack.holes}
    _compare(counts, "holes", holes, {_readable(card, gap[:2]) for gap in truth.gaps})
    if stack.trim:
        for place, bounds in zip(stack.trim, (truth.first, truth.last), strict=True):
            at, (low, high) = names.index(seen[place].name), sorted(names.index(name) for name in bounds)
            counts["trims", "right" if low - 1 <= at <= high + 1 else "false"] += 1
    else:
        counts["trims", "missed"] += 2
    counts["by hand", "right" if stack.by_hand == truth.take.by_hand else "false"] += 1
    if not truth.take.by_hand:
        told_order = "right" if stack.order == truth.order else "missed" if stack.order == "unknown" else "false"
        counts["order", told_order] += 1
        passed = stack.passed if truth.order == "near-first" else stack.passed[::-1]
        for told_end, true_end in zip(passed, truth.reached, strict=True):
            if true_end is not None:
                counts["ends", "right" if told_end == true_end else "false"] += 1
        if stack.thin:
            fewer = truth.take.step < 0.5
            counts["thin", "right" if (stack.thin.every > 1) == fewer else "missed" if fewer else "false"] += 1


def _readable(card: SimulatedCard, gap: tuple[str, str]) -> tuple[str, str]:
    """Of a hole whose frame on either side is a broken file, the next one that can be read."""
    paths = [file.path for file in card.files]
    after, before = (paths.index(name) for name in gap)
    while card.files[after].broken:
        after -= 1
    while card.files[before].broken:
        before += 1
    return paths[after], paths[before]


def main() -> None:
    """Print the table."""
    with ProcessPoolExecutor(max_workers=2) as pool:
        total: Counter[tuple[str, str]] = sum(pool.map(judged, SEEDS), Counter())
    print(f"cards of seeds {SEEDS[0]} to {SEEDS[-1]}, odd ones; missed is a false answer withheld, too")
    print(f"{'what':14s} {'right':>6s} {'missed':>6s} {'false':>6s} {'precision':>10s} {'recall':>7s}")
    for what in dict.fromkeys(what for what, _ in sorted(total)):
        right, missed, false = (total[what, how] for how in ("right", "missed", "false"))
        precision, recall = right / max(right + false, 1), right / max(right + missed, 1)
        print(f"{what:14s} {right:6d} {missed:6d} {false:6d} {precision:10.3f} {recall:7.3f}")


if __name__ == "__main__":
    main()
