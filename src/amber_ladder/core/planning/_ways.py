"""Other ways to shoot the same depth: rigs and apertures compared, and one frame stopped down against them all."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from math import sqrt

from amber_ladder.core.optics import (
    InfinityObjective,
    Lens,
    Optics,
    Rig,
    Subject,
    effective_f_number_from_na,
    resolve,
    smallest_detail_um,
    tiles_for,
)
from amber_ladder.core.planning._ladder import Rail, Timing, Wanted, plan_ladder
from amber_ladder.core.planning._sharpness import Sharpness, Wave, circle_um, sharp_depth_um
from amber_ladder.errors import BadInput

_STOPS = 4  # whole stops down from the rig's own setting that are compared
_SMALLEST_MARKED = 32.0  # few lenses close farther
_SAME = 1.05  # times finer: less is no difference
_SAMPLED_AIRY_PX = 3.95
_WELL_SAMPLED_AIRY_PX = 9.0


@dataclass(frozen=True, slots=True)
class Way:
    """One way to shoot it. ``rig`` is what to load; ``rig_index`` the place of the rig it was derived from.

    ``mark`` says why it is a sensible choice, empty for the others. ``marked_f_number`` is what must be set on the
    lens or on the tube lens's iris; ``None`` where the rig stays as it is. ``seconds`` and ``bytes`` count all tiles.
    """

    rig_index: int
    rig: Rig
    marked_f_number: float | None
    single_frame: bool
    effective_f_number: float
    detail_um: float
    airy_px: float
    step_um: float | None
    frames: int
    tiles: int
    seconds: float
    bytes: int
    mark: str = ""


@dataclass(frozen=True, slots=True)
class Worth:
    """Whether stacking is worth it for a use: ``single_detail_um`` is what one frame keeps over the whole depth.

    ``wider_than_px`` is the picture width from which a stack shows more than that single frame, ``use_px`` the width
    of the picture that is wanted.
    """

    single_detail_um: float
    times_finer: float
    wider_than_px: int
    use_px: int
    worth_it: bool


def other_ways(
    rigs: Sequence[Rig],
    wanted: Wanted,
    *,
    rail: Rail | None = None,
    timing: Timing | None = None,
    bytes_per_frame: int = 0,
    sharpness: Sharpness | None = None,
    subject: Subject | None = None,
    budget_s: float | None = None,
) -> tuple[Way, ...]:
    """Ways over several rigs and their apertures, finest detail first; the single frames last.

    ``wanted`` gives near and far, overlap and spare rungs; its other entries are set aside. Rigs that cannot be
    resolved or planned are left out.
    """
    depth_um = (wanted.far_um or wanted.near_um) - wanted.near_um
    timing = timing or Timing()
    stacks: list[Way] = []
    singles: list[Way] = []
    for index, rig in enumerate(rigs):
        for variant, marked in _apertures(rig):
            try:
                optics = resolve(variant)
                sharp = sharp_depth_um(variant, optics, sharpness or Wave())
                asked = replace(wanted, sharp_um=sharp, step_um=None, frames=None, budget_s=None)
                ladder = plan_ladder(optics, asked, rail=rail, timing=timing, bytes_per_frame=bytes_per_frame)
            except BadInput:
                continue
            tiles = tiles_for(optics, subject or Subject()).count
            stacks.append(
                Way(
                    index, variant, marked, False, optics.effective_f_number, optics.detail_um, optics.airy_px,
                    ladder.step_um, ladder.frames, tiles, ladder.seconds * tiles, ladder.bytes * tiles,
                )
            )  # fmt: skip
        single = _single_frame(index, rig, depth_um, timing, bytes_per_frame, subject or Subject())
        if single:
            singles.append(single)
    stacks.sort(key=lambda way: (way.detail_um, way.seconds))
    singles.sort(key=lambda way: way.detail_um)
    return tuple(_marked(stacks, budget_s)) + tuple(singles)


def is_it_worth_it(rig: Rig, optics: Optics, depth_um: float, sharpness: Sharpness) -> Worth:
    """Compare a stack with one frame that is stopped down until all of the depth is sharp, for the chosen use."""
    na = single_frame_na(optics, rig, depth_um)
    detail = smallest_detail_um(na, rig.wavelength_nm)
    times = detail / optics.detail_um
    # Two pixels for each smallest detail (Nyquist): a wider picture shows what the single frame does not hold.
    wider_than_px = round(2.0 * optics.field_mm[0] * 1e3 / detail)
    use_px = _use_px(rig, sharpness)
    return Worth(detail, times, wider_than_px, use_px, times > _SAME and use_px > wider_than_px)


def _use_px(rig: Rig, sharpness: Sharpness) -> int:
    """How many blur circles the wanted picture is wide; by wave optics, all the pixels there are."""
    circle = circle_um(rig, sharpness)
    width_um = rig.sensor.width_px * rig.sensor.pixel_um
    return rig.sensor.width_px if circle is None else round(width_um / max(circle, rig.sensor.pixel_um))


def single_frame_na(optics: Optics, rig: Rig, depth_um: float) -> float:
    """The aperture at which one frame's sharp depth, λ n / NA² + n e / (m NA), is the whole depth."""
    a, b = depth_um, rig.medium_index * rig.sensor.pixel_um / optics.magnification
    c = rig.medium_index * rig.wavelength_nm * 1e-3
    return min((b + sqrt(b * b + 4.0 * a * c)) / (2.0 * a), optics.numerical_aperture)


def _apertures(rig: Rig) -> list[tuple[Rig, float | None]]:
    train = rig.train
    measured_aperture = rig.measured and (rig.measured.na or rig.measured.effective_f_number)
    if measured_aperture or not isinstance(train, Lens | InfinityObjective):
        return [(rig, None)]
    if isinstance(train, Lens):
        marks = [train.f_number * sqrt(2.0) ** stop for stop in range(1, _STOPS + 1)]
        stopped = [(replace(rig, train=replace(train, f_number=n)), n) for n in marks if n <= _SMALLEST_MARKED * 1.01]
        return [(rig, None), *stopped]
    if train.tube_f_number is None:
        return [(rig, None)]
    marks = [train.tube_f_number * sqrt(2.0) ** stop for stop in range(1, _STOPS)]
    return [(rig, None), *((replace(rig, train=replace(train, tube_f_number=n)), n) for n in marks)]


def _single_frame(
    index: int, rig: Rig, depth_um: float, timing: Timing, bytes_per_frame: int, subject: Subject
) -> Way | None:
    if not isinstance(rig.train, Lens) or depth_um <= 0.0:
        return None  # an objective has no iris to close
    try:
        optics = resolve(rig)
        na = single_frame_na(optics, rig, depth_um)
        f_number = effective_f_number_from_na(optics.magnification, na)
        marked = rig.train.f_number * f_number / optics.effective_f_number
        closed = replace(rig, train=replace(rig.train, f_number=marked), measured=None)
        optics = resolve(closed)
    except BadInput:
        return None
    tiles = tiles_for(optics, subject).count
    mark = "one frame, no stack"
    if marked > _SMALLEST_MARKED:
        mark += f"; few lenses close to f/{marked:.0f}"
    return Way(
        index, closed, marked, True, f_number, smallest_detail_um(na, rig.wavelength_nm), optics.airy_px,
        None, 1, tiles, timing.rung_s * tiles, bytes_per_frame * tiles, mark,
    )  # fmt: skip


def _marked(stacks: list[Way], budget_s: float | None) -> list[Way]:
    """Name the sensible ones: as few tiles as can be, detail that the pixels hold, and nobody does it faster."""
    fewest = min((way.tiles for way in stacks), default=1)
    whole = [i for i, way in enumerate(stacks) if way.tiles == fewest]
    sampled = [i for i in whole if _SAMPLED_AIRY_PX <= stacks[i].airy_px <= _WELL_SAMPLED_AIRY_PX]
    marks: dict[int, str] = {}
    if sampled:
        fastest = min(sampled, key=lambda i: stacks[i].seconds)
        marks[fastest] = "least time with detail at the pixels"
        # Named last: a way that is both is first of all the finest.
        marks[sampled[0]] = "finest detail that the pixels hold"
    if budget_s is not None:
        fitting = [i for i in whole if stacks[i].seconds <= budget_s]
        if fitting:
            marks.setdefault(fitting[0], "finest detail in the time there is")
    return [replace(way, mark=marks.get(i, "")) for i, way in enumerate(stacks)]
