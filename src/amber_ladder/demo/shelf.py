"""What Tarn Hollow has: rigs and labels."""

from dataclasses import dataclass
from typing import Any

from amber_ladder.core.fusion import Method
from amber_ladder.formats.part_json import (
    BodyJson,
    LensPartJson,
    LightPartJson,
    ObjectivePartJson,
    RailPartJson,
    TubePartJson,
)
from amber_ladder.formats.rig_json import (
    CoupledJson,
    InfinityObjectiveJson,
    KnobJson,
    LensJson,
    MeasuredJson,
    SensorJson,
)
from amber_ladder.work.cabinet import SpecimenEntry
from amber_ladder.work.rigs import RigEntry
from amber_ladder.work.rigs.parts import PartEntry

# The station's bench camera: few but large pixels, so that the simulated bench keeps up with a real one.
_CAMERA = SensorJson(width_px=1536, height_px=1024, pixel_um=5.0)

FIVE = "5× objective on 200 mm"
TEN = "10× objective on 200 mm"
MACRO_FIVE = "Macro lens at 5:1, f/2.8"
MACRO_TWO = "Macro lens at 2:1, f/4"
MEASURED = "Objective on bellows, measured"
COUPLED = "50 mm reversed on 200 mm"

BODY = "Tarn Hollow bench camera"
PARTS = (
    PartEntry(name=BODY, part=BodyJson(width_px=1536, height_px=1024, pixel_um=5.0, transfer_s=0.4)),
    PartEntry(name="Field camera, 24 MP", part=BodyJson(width_px=6000, height_px=4000, pixel_um=3.76, transfer_s=0.8)),
    PartEntry(
        name="Macro lens 65 mm",
        part=LensPartJson(focal_mm=65, f_number=2.8, pupil_magnification=1.2, largest_magnification=5, image_circle_mm=43, working_distance_mm=41),
    ),
    PartEntry(
        name="Macro lens 100 mm",
        part=LensPartJson(focal_mm=100, f_number=2.8, pupil_magnification=1.3, largest_magnification=2, image_circle_mm=43, working_distance_mm=120),
    ),
    PartEntry(
        name="5× / 0.14 objective",
        part=ObjectivePartJson(nominal_magnification=5, na=0.14, design_tube_mm=200, working_distance_mm=34, image_circle_mm=24),
    ),
    PartEntry(
        name="10× / 0.28 objective",
        part=ObjectivePartJson(nominal_magnification=10, na=0.28, design_tube_mm=200, working_distance_mm=33.5, image_circle_mm=24),
    ),
    PartEntry(
        name="4× / 0.10 objective, finite",
        part=ObjectivePartJson(corrected="finite", nominal_magnification=4, na=0.1, design_tube_mm=160, working_distance_mm=17),
    ),
    PartEntry(name="Tube lens 200 mm", part=TubePartJson(tube_mm=200)),
    PartEntry(name="Telephoto lens 200 mm with iris", part=TubePartJson(tube_mm=200, tube_f_number=2.8)),
    PartEntry(name="Bench rail, 2.5 µm", part=RailPartJson(click_um=2.5, min_um=0, max_um=40_000, backlash_um=50)),
    PartEntry(name="Bench flash", part=LightPartJson(recycle_s=3.0)),
)  # fmt: skip

RIGS = (
    RigEntry(
        name=FIVE,
        sensor=_CAMERA,
        train=InfinityObjectiveJson(nominal_magnification=5, na=0.14, design_tube_mm=200, tube_mm=200),
        working_distance_mm=34, image_circle_mm=24,
        parts={"body": BODY, "objective": "5× / 0.14 objective", "tube": "Tube lens 200 mm", "rail": "Bench rail, 2.5 µm", "light": "Bench flash"},
    ),
    RigEntry(
        name=TEN,
        sensor=_CAMERA,
        train=InfinityObjectiveJson(nominal_magnification=10, na=0.28, design_tube_mm=200, tube_mm=200),
        working_distance_mm=33.5, image_circle_mm=24, knob=KnobJson(um_per_division=2, divisions_per_turn=100),
        parts={"body": BODY, "objective": "10× / 0.28 objective", "tube": "Tube lens 200 mm", "rail": "Bench rail, 2.5 µm", "light": "Bench flash"},
    ),
    RigEntry(
        name=MACRO_FIVE,
        sensor=_CAMERA,
        train=LensJson(f_number=2.8, magnification=5, pupil_magnification=1.2, focal_mm=65),
        working_distance_mm=41, image_circle_mm=43, parts={"body": BODY, "lens": "Macro lens 65 mm"},
    ),
    RigEntry(
        name=MACRO_TWO,
        sensor=_CAMERA,
        train=LensJson(f_number=4, magnification=2, pupil_magnification=1.3, focal_mm=100),
        working_distance_mm=120, image_circle_mm=43, parts={"body": BODY, "lens": "Macro lens 100 mm"},
    ),
    RigEntry(
        name=COUPLED,
        sensor=_CAMERA,
        train=CoupledJson(rear_focal_mm=200, rear_f_number=16, front_focal_mm=50, front_f_number=2),
    ),
    RigEntry(name=MEASURED, sensor=_CAMERA, train=MeasuredJson(magnification=5.08, na=0.13)),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class DemoSpecimen:
    """A label, and for those on the bench a rig, a plan, and what the simulated bench shows.

    ``tiles`` are the columns and rows of one that is larger than the field.
    """

    label: SpecimenEntry
    rig: str = ""
    plan: dict[str, Any] | None = None
    scene: str = ""
    methods: tuple[Method, ...] = ()
    tiles: tuple[int, int] | None = None


def _plan(near_um: float, depth_um: float) -> dict[str, Any]:
    return {
        "near_um": near_um,
        "far_um": near_um + depth_um,
        "overlap": 0.3,
        "spare_rungs": 2,
        "rail": {"click_um": 2.5, "min_um": 0, "max_um": 40_000, "backlash_um": 50},
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
               "Teeth close within minutes when breathed on.", width_mm=1.4, height_mm=1.0, depth_mm=0.8),
        FIVE, _plan(12_410, 700), "moss-capsule", ("select", "pyramid"),
    ),
    DemoSpecimen(
        _label("SN-007", "capped column", "snow", "chilled slate", "Tarn Hollow, upper terrace",
               "Collected at −9 °C; melts quickly under the lamp.", width_mm=1.1, depth_mm=0.5),
        MACRO_FIVE, _plan(3_200, 460), "capped-column", ("auto",),
    ),
    DemoSpecimen(
        _label("MN-113", "wulfenite blade", "mineral", "putty mount", "Hollow Rake, old level"),
        MEASURED, _plan(8_000, 600), "wulfenite", ("auto",),
    ),
    DemoSpecimen(
        _label("IN-262", "lacewing head", "insect", "pinned", "Tarn Hollow, light trap"),
        FIVE, _plan(15_300, 420), "lacewing-eyes", ("auto",),
    ),
    DemoSpecimen(
        _label("AM-031", "fungus gnat in resin", "inclusion", "polished block", "Tarn Hollow collection",
               medium="resin", medium_index=1.54),
        FIVE, _plan(4_000, 380),
    ),
    DemoSpecimen(_label("TH-0421", "sundew tentacle", "plant", "fresh, in wet moss", "Tarn Hollow, seep"), FIVE, _plan(9_100, 820)),
    DemoSpecimen(_label("IN-259", "jewel wasp, side", "insect", "pinned", "South scree", width_mm=7, height_mm=4, depth_mm=3), MACRO_TWO, _plan(21_000, 2_400)),
    DemoSpecimen(_label("MN-109", "garnet in schist", "mineral", "loose, on putty", "Hollow Rake")),
    DemoSpecimen(
        _label("TH-0402", "fern sporangia", "plant", "dry on card", "Tarn Hollow, gully"),
        FIVE, _plan(6_250, 520), "fern-sporangia", ("auto",),
    ),
    DemoSpecimen(
        _label("MN-120", "fluorite, corner of a cube", "mineral", "putty mount", "Hollow Rake, tip",
               width_mm=1.3, height_mm=0.9, depth_mm=0.5),
        TEN, _plan(12_000, 420), tiles=(2, 2),
    ),
    DemoSpecimen(
        _label("SN-011", "graupel", "snow", "chilled slate", "Tarn Hollow, upper terrace", width_mm=1.5),
        MACRO_FIVE, _plan(3_150, 620),
    ),
    DemoSpecimen(_label("IN-270", "springtail", "insect", "in alcohol", "Leaf litter, gully", medium="alcohol", medium_index=1.36)),
)  # fmt: skip

DAY = ("AM-031", "IN-259", "TH-0421", "SN-011")
"""What stands on the list of the day on which the station is loaded, as somebody typed it in."""
DAY_WAITS_MIN = {"TH-0421": 240}
"""Minutes until a fresh leaf hangs: a person's guess."""
DAY_AIR = {"SN-011": {"air_celsius": -7.0, "humidity": 0.85, "size_um": 1450.0, "allowed_um": 60.0}}
"""The air in which a crystal lies."""
