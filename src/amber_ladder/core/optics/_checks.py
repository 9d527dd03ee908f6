"""What is wrong or wasteful about a rig for a specimen, with the reason and the way out."""

from dataclasses import dataclass
from math import ceil, hypot
from typing import Literal

from amber_ladder.core.optics._resolve import Optics
from amber_ladder.core.optics._rig import Rig

TILE_OVERLAP = 0.2
"""Share by which neighbouring pictures of a larger subject overlap, so that they can be joined."""

_SAFE_MM = 0.5  # left between glass and specimen; less is no room for a slip of the hand


@dataclass(frozen=True, slots=True)
class Subject:
    """The specimen's stated size in mm; ``None`` where it was not said. Height is towards the lens."""

    width_mm: float | None = None
    height_mm: float | None = None
    depth_mm: float | None = None


@dataclass(frozen=True, slots=True)
class Check:
    """One finding: ``fault`` spoils the picture or endangers the specimen, ``hint`` costs something."""

    key: str
    level: Literal["fault", "hint"]
    message: str


@dataclass(frozen=True, slots=True)
class Tiles:
    """How many pictures side by side show the whole subject."""

    across: int
    down: int

    @property
    def count(self) -> int:
        """All of them."""
        return self.across * self.down


def tiles_for(optics: Optics, subject: Subject) -> Tiles:
    """Pictures needed for the subject, overlapping by a fifth; one where its size is not known."""
    field_w, field_h = optics.field_mm
    return Tiles(_side(subject.width_mm, field_w), _side(subject.height_mm, field_h))


def _side(subject_mm: float | None, field_mm: float) -> int:
    if subject_mm is None or subject_mm <= field_mm:
        return 1
    return 1 + ceil((subject_mm - field_mm) / (field_mm * (1.0 - TILE_OVERLAP)) - 1e-9)


def check_rig(rig: Rig, optics: Optics, subject: Subject | None = None) -> tuple[Check, ...]:
    """All findings about a rig, and about this rig over a specimen of that size."""
    subject = subject or Subject()
    found = [Check("optics", "hint", warning) for warning in optics.warnings]
    found += _image_circle(rig)
    found += _field(optics, subject)
    found += _working_distance(rig, subject)
    return tuple(found)


def _image_circle(rig: Rig) -> list[Check]:
    if rig.image_circle_mm is None:
        return []
    sensor = rig.sensor
    diagonal_mm = hypot(sensor.width_px, sensor.height_px) * sensor.pixel_um / 1e3
    if diagonal_mm <= rig.image_circle_mm:
        return []
    return [
        Check(
            "image_circle",
            "fault",
            f"The sensor's diagonal ({diagonal_mm:.1f} mm) is larger than the image circle "
            f"({rig.image_circle_mm:.1f} mm): corners are dark or soft. Crop to "
            f"{rig.image_circle_mm / diagonal_mm:.0%} of the width, or use a smaller sensor.",
        )
    ]


def _field(optics: Optics, subject: Subject) -> list[Check]:
    tiles = tiles_for(optics, subject)
    if tiles.count == 1:
        return []
    field_w, field_h = optics.field_mm
    return [
        Check(
            "field",
            "hint",
            f"The field ({field_w:.3g} × {field_h:.3g} mm) is smaller than the specimen: {tiles.across} × {tiles.down} "
            f"= {tiles.count} pictures with {TILE_OVERLAP:.0%} overlap, each a stack, or less magnification.",
        )
    ]


def _working_distance(rig: Rig, subject: Subject) -> list[Check]:
    if rig.working_distance_mm is None or subject.depth_mm is None:
        return []
    left_mm = rig.working_distance_mm - subject.depth_mm
    if left_mm >= _SAFE_MM:
        return []
    what = "touches the specimen" if left_mm <= 0 else f"comes within {left_mm:.2g} mm of the specimen"
    return [
        Check(
            "collision",
            "fault",
            f"Focused on its deepest point, the front of the lens {what}: {rig.working_distance_mm:.3g} mm of working "
            f"distance for {subject.depth_mm:.3g} mm of height. Use an objective with more working distance, or turn "
            "the specimen.",
        )
    ]
