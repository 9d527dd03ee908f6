"""What Tarn Hollow has: rigs and labels."""

from dataclasses import dataclass
from typing import Any

from amber_ladder.core.fusion import Method
from amber_ladder.formats.rig_json import InfinityObjectiveJson, LensJson, MeasuredJson, SensorJson
from amber_ladder.work.cabinet import SpecimenEntry
from amber_ladder.work.rigs import RigEntry

# The station's bench camera: few but large pixels, so that the simulated bench keeps up with a real one.
_CAMERA = SensorJson(width_px=1536, height_px=1024, pixel_um=5.0)

FIVE = "5× objective on 200 mm"
TEN = "10× objective on 200 mm"
MACRO_FIVE = "Macro lens at 5:1, f/2.8"
MACRO_TWO = "Macro lens at 2:1, f/4"
MEASURED = "Objective on bellows, measured"

RIGS = (
    RigEntry(
        name=FIVE,
        sensor=_CAMERA,
        train=InfinityObjectiveJson(nominal_magnification=5, na=0.14, design_tube_mm=200, tube_mm=200),
    ),
    RigEntry(
        name=TEN,
        sensor=_CAMERA,
        train=InfinityObjectiveJson(nominal_magnification=10, na=0.28, design_tube_mm=200, tube_mm=200),
    ),
    RigEntry(
        name=MACRO_FIVE,
        sensor=_CAMERA,
        train=LensJson(f_number=2.8, magnification=5, pupil_magnification=1.2),
    ),
    RigEntry(name=MACRO_TWO, sensor=_CAMERA, train=LensJson(f_number=4, magnification=2, pupil_magnification=1.3)),
    RigEntry(name=MEASURED, sensor=_CAMERA, train=MeasuredJson(magnification=5.08, na=0.13)),
)


@dataclass(frozen=True, slots=True)
class DemoSpecimen:
    """A label, and for those on the bench a rig, a plan, and what the simulated bench shows."""

    label: SpecimenEntry
    rig: str = ""
    plan: dict[str, Any] | None = None
    scene: str = ""
    methods: tuple[Method, ...] = ()


def _plan(near_um: float, depth_um: float) -> dict[str, Any]:
    return {
        "near_um": near_um,
        "far_um": near_um + depth_um,
        "overlap": 0.3,
        "spare_rungs": 2,
        "rail": {"click_um": 2.5},
        "timing": {"settle_s": 2.0, "exposure_s": 0.2, "recycle_s": 3.0},
        "bytes_per_frame": 260_000,
    }


def _label(number: str, name: str, kind: str, mount: str, locality: str, note: str = "", **more: Any) -> SpecimenEntry:
    return SpecimenEntry(
        catalogue_number=number, name=name, kind=kind, mount=mount, locality=locality, note=note, **more
    )


DEMO = (
    DemoSpecimen(
        _label("TH-0418", "moss capsule mouth", "plant", "dry on card", "Tarn Hollow, north wall",
               "Teeth close within minutes when breathed on."),
        FIVE, _plan(12_410, 700), "moss-capsule", ("select", "pyramid"),
    ),
    DemoSpecimen(
        _label("SN-007", "capped column", "snow", "chilled slate", "Tarn Hollow, upper terrace",
               "Collected at −9 °C; melts quickly under the lamp."),
        MACRO_FIVE, _plan(3_200, 460), "capped-column", ("pyramid",),
    ),
    DemoSpecimen(
        _label("MN-113", "wulfenite blade", "mineral", "putty mount", "Hollow Rake, old level"),
        MEASURED, _plan(8_000, 600), "wulfenite", ("pyramid",),
    ),
    DemoSpecimen(
        _label("IN-262", "lacewing head", "insect", "pinned", "Tarn Hollow, light trap"),
        FIVE, _plan(15_300, 420), "lacewing-eyes", ("pyramid",),
    ),
    DemoSpecimen(
        _label("AM-031", "fungus gnat in resin", "inclusion", "polished block", "Tarn Hollow collection",
               medium="resin", medium_index=1.54),
        FIVE, _plan(4_000, 300),
    ),
    DemoSpecimen(_label("TH-0421", "sundew tentacle", "plant", "fresh, in wet moss", "Tarn Hollow, seep"), FIVE, _plan(9_100, 820)),
    DemoSpecimen(_label("IN-259", "jewel wasp, side", "insect", "pinned", "South scree"), MACRO_TWO, _plan(21_000, 2_400)),
    DemoSpecimen(_label("MN-109", "garnet in schist", "mineral", "loose, on putty", "Hollow Rake")),
    DemoSpecimen(
        _label("TH-0402", "fern sporangia", "plant", "dry on card", "Tarn Hollow, gully"),
        FIVE, _plan(6_250, 520), "fern-sporangia", ("pyramid",),
    ),
    DemoSpecimen(_label("MN-120", "fluorite, corner of a cube", "mineral", "putty mount", "Hollow Rake, tip")),
    DemoSpecimen(_label("SN-011", "graupel", "snow", "chilled slate", "Tarn Hollow, upper terrace")),
    DemoSpecimen(_label("IN-270", "springtail", "insect", "in alcohol", "Leaf litter, gully", medium="alcohol", medium_index=1.36)),
)  # fmt: skip
