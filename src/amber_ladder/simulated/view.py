"""What falls on the sensor: a seeded specimen under a rig, focused at one depth."""

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.optics import Optics, Sensor
from amber_ladder.simulated.behaviour import Behaviour
from amber_ladder.simulated.blur import Blur
from amber_ladder.simulated.lighting import Lighting, lit_by
from amber_ladder.simulated.scene import Grid, Scene, Sheet, compose, in_perspective
from amber_ladder.simulated.specimens import SimulatedSpecimen

Float = NDArray[np.float32]

_MARGIN = 0.03  # of the field on every side, so that drift and breathing never show an edge
_MARGIN_PX = 12


class SpecimenView:
    """The specimen in the rig's field and a margin around it. Pictures are linear RGB, (H, W, 3).

    ``growth_per_mm`` is by which share its pictures grow a mm of the rail's travel, ``aside_um`` where on the specimen
    the field's middle lies (right, down).
    """

    def __init__(
        self,
        specimen: SimulatedSpecimen,
        optics: Optics,
        sensor: Sensor,
        seed: int,
        *,
        coarser: float = 1.0,
        growth_per_mm: float = 0.0,
        aside_um: tuple[float, float] = (0.0, 0.0),
    ) -> None:
        self.sensor = sensor
        self.margin_px = tuple(int(side * _MARGIN) + _MARGIN_PX for side in (sensor.width_px, sensor.height_px))
        width, height = (sensor.width_px + 2 * self.margin_px[0], sensor.height_px + 2 * self.margin_px[1])
        scene = specimen.build(Grid.centred(width, height, optics.pixel_um, aside_um), seed)
        per_um = growth_per_mm / 1e3 / optics.medium_index
        self.scene: Scene = in_perspective(scene, per_um) if per_um else scene
        deepest_um = 1.5 * max(float(sheet.depth_um.max()) for sheet in self.scene.sheets)
        self._blur = Blur(optics, deepest_um, coarser=coarser)
        self._pixel_um = optics.pixel_um
        self._lit: tuple[Lighting, tuple[Sheet, ...]] = (Lighting(), self.scene.sheets)

    def focused(
        self,
        focus_um: float,
        behaviour: Behaviour | None = None,
        window: tuple[slice, slice] | None = None,
        lighting: Lighting | None = None,
    ) -> Float:
        """The scene with its margin focused at a depth (µm in the medium), or its ``window`` (rows, columns) alone."""
        lit = self._lit_sheets(lighting or Lighting())
        sheets = [self._moved(sheet, i, behaviour) if behaviour else sheet for i, sheet in enumerate(lit)]
        if window:
            sheets = [Sheet(one.rgb[window], one.cover[window], one.depth_um[window]) for one in sheets]
        with ThreadPoolExecutor(max_workers=len(sheets)) as pool:
            return compose(list(pool.map(lambda sheet: self._blur.focused_at(sheet, focus_um), sheets)))

    def sharp(self, behaviour: Behaviour | None = None) -> Float:
        """The scene with its margin, in focus everywhere, blurred by diffraction alone."""
        sheets = [self._moved(one, i, behaviour) if behaviour else one for i, one in enumerate(self.scene.sheets)]
        return compose([self._blur.sharp(sheet) for sheet in sheets])

    def matrix(self, shift_px: NDArray[np.float64], turn_deg: float, scale: float) -> NDArray[np.float64]:
        """2×3, frame px → scene px, for a frame that is shifted, turned and scaled about its centre."""
        turn = np.deg2rad(turn_deg)
        centre = np.array([self.sensor.width_px - 1, self.sensor.height_px - 1]) / 2.0
        rotation = scale * np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        offset = np.array(self.margin_px) + centre + shift_px - rotation @ centre
        return np.column_stack([rotation, offset])

    def frame(
        self, scene: NDArray[Any], matrix: NDArray[np.float64], interpolation: int = cv2.INTER_LANCZOS4
    ) -> NDArray[Any]:
        """What the sensor sees of a scene with its margin."""
        size = (self.sensor.width_px, self.sensor.height_px)
        flags = interpolation | cv2.WARP_INVERSE_MAP
        return np.asarray(cv2.warpAffine(scene, matrix, size, flags=flags, borderMode=cv2.BORDER_REFLECT))

    def _lit_sheets(self, lighting: Lighting) -> tuple[Sheet, ...]:
        """The sheets in a light; those of the last one are kept."""
        if lighting == Lighting():
            return self.scene.sheets
        if self._lit[0] != lighting:
            self._lit = lighting, tuple(lit_by(one, self._pixel_um, lighting) for one in self.scene.sheets)
        return self._lit[1]

    def _moved(self, sheet: Sheet, index: int, behaviour: Behaviour) -> Sheet:
        motion = behaviour.of_sheet(index, len(self.scene.sheets))
        if motion is None:
            return sheet
        height, width = sheet.cover.shape
        centre = np.array([(width - 1) / 2.0, (height - 1) / 2.0])
        turn = np.deg2rad(motion.turn_deg)
        rotation = motion.scale * np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
        shift = np.array([motion.x_um, motion.y_um]) / self._pixel_um
        matrix = np.column_stack([rotation, centre + shift - rotation @ centre])
        moved = [
            np.asarray(cv2.warpAffine(plane, matrix, (width, height), borderMode=border), np.float32)
            for plane, border in (
                (sheet.rgb, cv2.BORDER_REFLECT),
                (sheet.cover, cv2.BORDER_CONSTANT if index else cv2.BORDER_REFLECT),
                (sheet.depth_um, cv2.BORDER_REPLICATE),
            )
        ]
        return Sheet(moved[0], moved[1], moved[2] + np.float32(motion.deeper_um))
