"""How frames are merged: the settings, and with the frames' order and depths the recipe by which it is done again."""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field
from typing import Any

from amber_ladder.core.fusion import METHODS, USUAL_WINDOW_PX, Method, Order, Side
from amber_ladder.core.optics import Rig
from amber_ladder.errors import BadInput
from amber_ladder.formats.pictures import LeftOut
from amber_ladder.formats.recipe_json import RecipeJson
from amber_ladder.formats.rig_json import RigJson

_LARGEST_WINDOW_PX = 50.0


@dataclass(frozen=True, slots=True)
class Grows:
    """The least and the most by which the picture grows a mm of depth, as a share of its size, and why."""

    low_per_mm: float
    high_per_mm: float
    basis: str


@dataclass(frozen=True, slots=True)
class MergeSettings:
    """How to merge. ``step_um`` turns frame numbers into µm in the medium; ``um_per_px`` goes into the TIFF.

    ``window_px`` and ``calm`` are the pyramid's, also within auto. ``sharp_near_um`` and ``sharp_far_um`` are depths
    below the nearest frame between which the picture shall be sharp. ``moved`` is the side from which what moved is
    shown. ``positions_um`` are depths in the medium by name; ``exclude`` names frames that take no part. ``rig`` tells
    the blur in focus and how fast it grows, the scale where none is given, and how much the picture can grow with
    depth, where not ``grows`` says that better.
    """

    method: str = "auto"
    order: Order = "auto"
    step_um: float | None = None
    um_per_px: float | None = None
    window_px: float = USUAL_WINDOW_PX
    calm: float = 0.0
    sharp_near_um: float | None = None
    sharp_far_um: float | None = None
    moved: Side = "auto"
    exclude: tuple[str, ...] = ()
    positions_um: Mapping[str, float] = field(default_factory=dict)
    rig: Rig | None = None
    grows: Grows | None = None

    @property
    def has_range(self) -> bool:
        """Whether only a part of the depth shall be sharp."""
        return self.sharp_near_um is not None or self.sharp_far_um is not None

    def checked(self) -> Method:
        """The method. Raises BadInput for a setting that cannot be used."""
        if not 0.5 <= self.window_px <= _LARGEST_WINDOW_PX:
            raise BadInput(f"the window is from 0.5 to {_LARGEST_WINDOW_PX:g} px", field="window_px")
        if not 0.0 <= self.calm <= 1.0:
            raise BadInput("calm is from 0 to 1", field="calm")
        if self.sharp_far_um is not None and self.sharp_far_um <= (self.sharp_near_um or 0.0):
            raise BadInput("sharpness shall end farther away than it begins", field="sharp_far_um")
        for method in METHODS:
            if method == self.method:
                return method
        raise BadInput(f"no merge method is called {self.method!r}: choose one of {', '.join(METHODS)}", field="method")


def recipe(
    names: Sequence[str],
    left_out: Sequence[LeftOut],
    settings: MergeSettings,
    depths_um: Sequence[float] | None,
    depth_from: str | None,
    numbers: Sequence[int] | None,
) -> dict[str, Any]:
    """What a merge was made from and how, as its report keeps it: enough to make it again to the byte."""
    return {
        "frames": list(names),
        "left_out": [{"file": one.name, "reason": one.reason} for one in left_out],
        "depths_um": None if depths_um is None else [float(one) for one in depths_um],
        "depth_from": depth_from,
        "numbers": None if numbers is None else list(numbers),
        "method": settings.method,
        "order": settings.order,
        "step_um": settings.step_um,
        "um_per_px": settings.um_per_px,
        "window_px": settings.window_px,
        "calm": settings.calm,
        "sharp_near_um": settings.sharp_near_um,
        "sharp_far_um": settings.sharp_far_um,
        "moved": settings.moved,
        "exclude": list(settings.exclude),
        "rig": RigJson.of(settings.rig).model_dump(mode="json", exclude_none=True) if settings.rig else None,
        "grows": asdict(settings.grows) if settings.grows else None,
    }


def settings_of(told: RecipeJson) -> MergeSettings:
    """The settings that a recipe tells of; frames, depths and what was left out it tells beside."""
    grows = Grows(told.grows.low_per_mm, told.grows.high_per_mm, told.grows.basis) if told.grows else None
    return MergeSettings(
        told.method, told.order, told.step_um, told.um_per_px, told.window_px, told.calm, told.sharp_near_um,
        told.sharp_far_um, told.moved, tuple(told.exclude), rig=told.rig.to_core() if told.rig else None, grows=grows,
    )  # fmt: skip
