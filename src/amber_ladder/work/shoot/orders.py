"""How the bench is set, and what is asked of it."""

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from amber_ladder.formats.plan_json import Position
from amber_ladder.formats.rig_json import Strict

Folder = Annotated[str, StringConstraints(strip_whitespace=True, max_length=500)]
Hold = Annotated[str, StringConstraints(pattern=r"^[\w-]{1,64}$")]
LampAngle = Annotated[float, Field(ge=-80, le=80, allow_inf_nan=False)]
Words = Annotated[str, StringConstraints(strip_whitespace=True, max_length=120)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
SideStep = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
SIMULATED = "simulated"


class BenchSettings(Strict):
    """What stands on the bench. ``rail`` is a pyserial address, or the simulated rail that ships.

    ``scene`` is what lies under the simulated camera; ``lies_um`` where its nearest point lies, by stack. ``lit_by``,
    ``diffused`` and ``lamp_deg`` are how the simulated camera's specimen is lit: a lamp is turned about it. ``stage``
    says what moves the specimen sideways: a hand, or two more axes of the rail's controller; ``stage_reversed`` which
    of them count the other way.
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
    stage: Literal["hand", "rail"] = "hand"
    stage_reversed: Annotated[list[Literal["right", "down"]], Field(max_length=2)] = Field(default_factory=list)

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
    stage: Literal["hand", "rail"] | None = None
    stage_reversed: list[Literal["right", "down"]] | None = None


class StageEntry(Strict):
    """Where the stage shall go: by a distance (µm right, down), or to the tile that the bench is set up for."""

    by_um: tuple[SideStep, SideStep] | None = None


class StageHere(Strict):
    """What the field lies on, where the stage stands: the tile that is set up, or the middle of the whole."""

    of: Literal["tile", "middle"]


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

    ``simulated`` lets a simulated hand turn the knob, where one is turned and the camera is simulated. With
    ``by_key`` a key says at a knob that a rung was shot, and the files come later. ``then_tiles``
    goes on with the tiles of the set that have no take yet, one after another, where a stage moves.
    """

    repair_of: int | None = None
    again: Annotated[list[int], Field(max_length=5000)] = Field(default_factory=list)
    more_near: Annotated[int, Field(ge=0, le=500)] = 0
    more_far: Annotated[int, Field(ge=0, le=500)] = 0
    simulated: bool = False
    by_key: bool = False
    then_tiles: bool = False
    confirmed: Annotated[list[str], Field(max_length=40)] = Field(default_factory=list)


class TurnOrder(Strict):
    """What a person at a knob says: call this rung, the last one again, what it read, or what went wrong before.

    ``passed``: before this rung so many were passed over; ``same``: for this rung the knob was not turned;
    ``right``: whatever the pictures tell, this rung's frame is where it belongs; ``none``: the last key was pressed
    though nothing was shot.
    """

    order: Literal["call", "again", "read", "passed", "same", "right", "none"]
    rung: Annotated[int, Field(ge=0, le=5000)] | None = None
    reading: Annotated[float, Field(ge=0, lt=10_000, allow_inf_nan=False)] | None = None
    count: Annotated[int, Field(ge=1, le=20)] = 1


class BurstEntry(Strict):
    """Frames by hand into the watched folder, until the depth is covered or the time is over."""

    minutes: Annotated[float, Field(gt=0, le=600, allow_inf_nan=False)] | None = None
    stop_when_covered: bool = True
    simulated: bool = False
