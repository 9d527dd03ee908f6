"""What the bench is set to, and what its page gets to see."""

from dataclasses import dataclass, field
from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from amber_ladder.core.light import Compared, LightReading
from amber_ladder.formats.plan_json import Position
from amber_ladder.formats.rig_json import Strict
from amber_ladder.work.shoot.claim import ClaimView

Folder = Annotated[str, StringConstraints(strip_whitespace=True, max_length=500)]
Hold = Annotated[str, StringConstraints(pattern=r"^[\w-]{1,64}$")]
LampAngle = Annotated[float, Field(ge=-80, le=80, allow_inf_nan=False)]
Words = Annotated[str, StringConstraints(strip_whitespace=True, max_length=120)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
SIMULATED = "simulated"


class BenchSettings(Strict):
    """What stands on the bench. ``rail`` is a pyserial address, or the simulated rail that ships.

    ``scene`` is what lies under the simulated camera; ``lies_um`` where its nearest point lies, by stack. ``lit_by``,
    ``diffused`` and ``lamp_deg`` are how the simulated camera's specimen is lit: a lamp is turned about it.
    """

    rail: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)] = SIMULATED
    camera: Literal["simulated", "folder"] = "simulated"
    folder: Folder = ""
    flaws: Annotated[list[str], Field(max_length=40)] = Field(default_factory=list)
    reshoots: Annotated[int, Field(ge=0, le=9)] = 2
    scene: Annotated[str, Field(max_length=60)] | None = None
    lies_um: dict[str, float] = Field(default_factory=dict)
    lit_by: Literal["heads", "lamp"] = "heads"
    diffused: bool = True
    lamp_deg: LampAngle = 0.0

    @property
    def lamp_at_deg(self) -> float | None:
        """Where the lamp is; None where the flash heads light, or nobody but the person at the bench knows."""
        return self.lamp_deg if self.camera == SIMULATED and self.lit_by == "lamp" else None


class BenchChange(Strict):
    """What to change; what is left out stays."""

    rail: str | None = None
    camera: Literal["simulated", "folder"] | None = None
    folder: Folder | None = None
    flaws: list[str] | None = None
    reshoots: int | None = None
    scene: str | None = None
    lit_by: Literal["heads", "lamp"] | None = None
    diffused: bool | None = None
    lamp_deg: LampAngle | None = None


class MoveEntry(Strict):
    """Where to move: to a position, by a distance, or to a place.

    ``near`` and ``far`` are the planned end points, ``park`` the end of the rail away from the specimen. A move with a
    ``hold``, a name of the page's own, goes on only while that is renewed, and ends when it is released.
    """

    to_um: Position | None = None
    by_um: Position | None = None
    place: Literal["near", "far", "park"] | None = None
    hold: Hold | None = None


class FlashEntry(Strict):
    """How the flash is set, and the shares of its power that its heads give, by name."""

    power: Annotated[float, Field(ge=1 / 512, le=1, allow_inf_nan=False)] | None = None
    on: bool | None = None
    heads: dict[str, Share] | None = None


class PlaceEntry(Strict):
    """A place of the field whose brightness is followed: centre as shares of width and height, radius of the width."""

    x: Share
    y: Share
    radius: Annotated[float, Field(ge=0.002, le=0.2, allow_inf_nan=False)] = 0.012


class NoteEntry(Strict):
    """Where lamp, specimen or camera stood at the brightest."""

    words: Words


class MeterEntry(Strict):
    """A flash meter's reading beside the specimen: f-number and sensitivity, with the flash at a power.

    ``taken_stops`` is what filters in the rig take.
    """

    f_number: Annotated[float, Field(ge=0.5, le=256, allow_inf_nan=False)]
    power: Annotated[float, Field(ge=1 / 512, le=1, allow_inf_nan=False)]
    metered_iso: Annotated[float, Field(ge=1, le=1_000_000, allow_inf_nan=False)] = 100
    camera_iso: Annotated[float, Field(ge=1, le=1_000_000, allow_inf_nan=False)] = 100
    taken_stops: Annotated[float, Field(ge=0, le=20, allow_inf_nan=False)] = 0


class RunEntry(Strict):
    """A run: the stack's ladder as planned, or what of an earlier take is missing, bad, or beyond its ends.

    ``simulated`` lets a simulated hand turn the knob, where one is turned and the camera is simulated.
    """

    repair_of: int | None = None
    again: Annotated[list[int], Field(max_length=5000)] = Field(default_factory=list)
    more_near: Annotated[int, Field(ge=0, le=500)] = 0
    more_far: Annotated[int, Field(ge=0, le=500)] = 0
    simulated: bool = False
    confirmed: Annotated[list[str], Field(max_length=40)] = Field(default_factory=list)


class TurnOrder(Strict):
    """What a person at a knob says: call this rung, the last one again, what it read, or what went wrong before.

    ``passed``: before this rung so many were passed over; ``same``: for this rung the knob was not turned;
    ``right``: whatever the pictures tell, this rung's frame is where it belongs.
    """

    order: Literal["call", "again", "read", "passed", "same", "right"]
    rung: Annotated[int, Field(ge=0, le=5000)] | None = None
    reading: Annotated[float, Field(ge=0, lt=10_000, allow_inf_nan=False)] | None = None
    count: Annotated[int, Field(ge=1, le=20)] = 1


class BurstEntry(Strict):
    """Frames by hand into the watched folder, until the depth is covered or the time is over."""

    minutes: Annotated[float, Field(gt=0, le=600, allow_inf_nan=False)] | None = None
    stop_when_covered: bool = True
    simulated: bool = False


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
    mode: Literal["run", "burst", "knob", "body"]
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
class BenchView:
    """The bench as it is now."""

    settings: BenchSettings
    stack_id: int | None
    stack_label: str | None
    busy: str | None
    simulated: bool
    live: bool
    rail: RailView
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
