"""The look before shooting: how long a patch takes, new and kept, and whether it tells overlaps apart."""

import time
from statistics import median

from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.rig_json import InfinityObjectiveJson, LensJson, RigJson, SensorJson
from amber_ladder.work.practice.look import LookEntry, LookView, look

_SENSOR = SensorJson(width_px=6000, height_px=4000, pixel_um=3.76)
_RIGS = {
    "5:1 at f/2.8": RigJson(sensor=_SENSOR, train=LensJson(f_number=2.8, magnification=5, focal_mm=65)),
    "10× / 0.28": RigJson(
        sensor=_SENSOR,
        train=InfinityObjectiveJson(nominal_magnification=10, na=0.28, design_tube_mm=200, tube_mm=200),
    ),
}
_PLAN = LadderRequestJson(near_um=0, far_um=600, overlap=0.3)
_SPECIMENS = (
    "moss", "jewel wasp", "garnet", "lacewing", "capped column", "fern", "graupel", "springtail", "gnat", "wulfenite",
    "fluorite",
)  # fmt: skip
_KINDS = {"lacewing": "insect", "capped column": "snow", "wulfenite": "mineral"}


def main() -> None:
    """Print the table."""
    look(_entry("5:1 at f/2.8", "sundew"))  # what is compiled or loaded once
    for rig in _RIGS:
        singles, cold, again, kept, ordered = [], [], [], [], 0
        for name in _SPECIMENS:
            singles.append(_timed(_entry(rig, name, single=True))[1])
            looks = [_timed(_entry(rig, name, overlap=overlap)) for overlap in (0.0, 0.3, 0.6)]
            cold.append(looks[0][1])
            again += [seconds for _, seconds in looks[1:]]
            kept.append(_timed(_entry(rig, name, overlap=0.3))[1])
            ordered += looks[0][0].blur_db <= looks[1][0].blur_db <= looks[2][0].blur_db
        floor = median(singles)
        print(
            f"{rig}: floor, one frame alone of a new specimen {floor:.2f} s; a merged patch {median(cold) / floor:.1f} "
            f"× ({median(cold):.2f} s, at most {max(cold):.2f} s; to hold: 3 s), another overlap of the same "
            f"{median(again):.2f} s, one that was seen {1e3 * median(kept):.1f} ms"
        )
        print(f"{rig}: more overlap looks sharper on {ordered} of {len(_SPECIMENS)} specimens")


def _timed(entry: LookEntry) -> tuple[LookView, float]:
    begun = time.perf_counter()
    seen = look(entry)
    return seen, time.perf_counter() - begun


def _entry(rig: str, name: str, *, overlap: float | None = None, single: bool = False) -> LookEntry:
    kind = _KINDS.get(name, "plant")
    return LookEntry(rig=_RIGS[rig], plan=_PLAN, kind=kind, name=name, overlap=overlap, single=single)
