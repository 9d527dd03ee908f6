"""What the page of the bench gets to see."""

from dataclasses import dataclass, field
from datetime import datetime
from typing import Literal

from amber_ladder.core.light import Compared, LightReading
from amber_ladder.work.shoot.claim import ClaimView
from amber_ladder.work.shoot.orders import BenchSettings, PlaceEntry


@dataclass(frozen=True, slots=True)
class RailView:
    """The rail. ``trouble`` says why it does not answer; ``free_um`` is the space before the specimen.

    ``jogs_um`` are distances to move by, from fine to coarse, that this rail can do.
    """

    address: str
    trouble: str | None
    trouble_since: datetime | None
    position_um: float | None
    lowest_um: float | None
    highest_um: float | None
    click_um: float | None
    jogs_um: list[float]
    free_um: float | None


@dataclass(frozen=True, slots=True)
class FlashView:
    """The flash; ``setting`` as engraved. ``heads`` are there where each can be set: the shares that they give."""

    power: float
    setting: str
    on: bool
    ready_in_s: float
    recycle_s: float
    heads: dict[str, float]


@dataclass(frozen=True, slots=True)
class EndsView:
    """Ends that a sweep found, as stage positions in µm, and whether it went on to where nothing is sharp."""

    near_um: float
    far_um: float
    passed_near: bool
    passed_far: bool


@dataclass(frozen=True, slots=True)
class TestFrameView:
    """A test frame at a power, and what to change. ``number`` changes with each, for the picture's address.

    ``at_um`` is where it was shot; with nothing in focus there, its light tells little, and no change is proposed.
    """

    number: int
    power: float
    at_um: float | None
    shot_at: datetime
    in_focus: bool
    reading: LightReading
    next_setting: str
    next_power: float | None
    missing_stops: float
    recycle_s: float


@dataclass(frozen=True, slots=True)
class RoomView:
    """A frame with the flash off."""

    black: bool
    stops: float | None


@dataclass(frozen=True, slots=True)
class DiffuserView:
    """A test frame that was kept as before, and how the last one compares; None before there is another."""

    before: TestFrameView
    compared: Compared | None


@dataclass(frozen=True, slots=True)
class BalanceView:
    """Two heads, each alone: by how many stops the first is brighter (None where too little tells).

    ``even`` are the shares that would make them even, the stronger one as it is turned down.
    """

    first: str
    second: str
    brighter_stops: float | None
    even: dict[str, float]


@dataclass(frozen=True, slots=True)
class MeteredView:
    """What a meter's reading asks of the flash: ``stops`` more power, as a setting; None out of reach."""

    effective_f_number: float
    stops: float
    setting: str
    power: float | None
    missing_stops: float


@dataclass(frozen=True, slots=True)
class BestView:
    """The brightest that a place was: stops below full scale, where the lamp was if the bench knows, and a note.

    Where it was ``clipped`` it was brighter than it says, and there may be a brighter angle beside it. ``number``
    changes with each, for the picture's address.
    """

    number: int
    stops: float
    clipped: bool
    lamp_deg: float | None
    note: str
    at: datetime


@dataclass(frozen=True, slots=True)
class PlaceView:
    """A marked place now: stops below full scale, and the best so far. Where it is ``clipped`` it may be brighter."""

    place: PlaceEntry
    stops: float
    clipped: bool
    best: BestView | None


@dataclass(frozen=True, slots=True)
class GrowthView:
    """The growing picture after one more frame; shares of its area, 0 to 1. ``histogram``: that frame, 64 bins.

    ``covered`` is None where nobody knows where the frames lie. ``trouble`` says why it grows no more.
    """

    take_id: int
    frames: int
    newest_share: float
    moved: float
    shift_px: float
    covered: float | None
    histogram: list[int]
    trouble: str | None


@dataclass(frozen=True, slots=True)
class CallView:
    """The rung that a hand is to turn to: what the knob reads there, in divisions and whole turns from the first rung.

    ``back_division`` and ``back_turns`` say how far back to go first, so that it comes from the near side; None where
    it does already. ``again`` says that the rung has a frame, which the next one replaces.
    """

    rung: int
    position_um: float
    division: float
    turns: int
    back_division: float | None
    back_turns: int | None
    again: bool


@dataclass(frozen=True, slots=True)
class DoubtView:
    """What pictures tell against the rung of a frame: it shows the same as the one before, or some were passed over."""

    kind: Literal["same", "passed"]
    rung: int
    count: int


@dataclass(frozen=True, slots=True)
class RunView:
    """A take that is being shot. ``phase`` is what it does now, ``wait_s`` how long that still takes.

    ``call`` is there where a hand turns a knob.
    """

    take_id: int
    stack_id: int
    mode: Literal["run", "burst", "knob", "body", "key"]
    phase: str
    wait_s: float
    paused: bool
    rung: int | None
    done: int
    total: int
    seconds_left: float | None
    said: str
    coverage: float | None = None
    call: CallView | None = None
    doubts: list[DoubtView] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class SearchView:
    """A search for the ends: it looks for the specimen, goes nearer until nothing is sharp, or measures on the way far.

    ``seconds_left`` holds if the specimen lies where the plan says; None while that cannot be told.
    """

    phase: Literal["look", "clear", "measure"]
    seconds_left: float | None


@dataclass(frozen=True, slots=True)
class HoldView:
    """Whether a held move goes on."""

    moving: bool


@dataclass(frozen=True, slots=True)
class StageView:
    """The stage: what moves it, where it says it is and where the tile lies (µm right, down), as far as known.

    ``on_tile`` says whether it is near enough: ``off_um`` is at most ``within_um``.
    """

    by: Literal["hand", "rail"]
    trouble: str | None
    at_um: tuple[float, float] | None
    target_um: tuple[float, float] | None
    off_um: float | None
    within_um: float | None
    on_tile: bool | None
    tile: int | None


@dataclass(frozen=True, slots=True)
class BenchView:
    """The bench as it is now."""

    settings: BenchSettings
    stack_id: int | None
    stack_label: str | None
    busy: str | None
    simulated: bool
    live: bool
    rail: RailView
    stage: StageView | None
    flash: FlashView | None
    ends: EndsView | None
    search: SearchView | None
    test_frame: TestFrameView | None
    room: RoomView | None
    diffuser: DiffuserView | None
    balance: BalanceView | None
    place: PlaceEntry | None
    best: BestView | None
    growth: GrowthView | None
    run: RunView | None
    said: str | None
    claim: ClaimView | None


@dataclass(frozen=True, slots=True)
class PreflightItem:
    """One line of the list before a run: fine, worth a thought (may be confirmed), or in the way."""

    key: str
    title: str
    state: Literal["fine", "confirm", "stop"]
    detail: str
