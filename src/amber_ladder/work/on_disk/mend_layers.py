"""The layers of a mend, made of its steps, of the merge they lie on, and of the frames that were merged."""

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import replace
from functools import cached_property, partial
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import decode_srgb
from amber_ladder.core.frames import Progress, no_progress, to_grey
from amber_ladder.core.mending import (
    Box,
    Cleaned,
    Crop,
    Erased,
    Fitted,
    Healed,
    Kind,
    Laid,
    Layer,
    Painted,
    Patch,
    Placed,
    Sharpened,
    Source,
    Toned,
    chosen_frames,
    cleaned,
    cut_patch,
    find_spots,
    likeness,
    nearest_known,
    propose_part,
    widest_told_px,
)
from amber_ladder.core.registration import Matrix, compose, inverse
from amber_ladder.errors import BadInput, UnreadablePicture
from amber_ladder.formats.mend_json import (
    BEST,
    Brushed,
    Contrast,
    CropStep,
    Dust,
    Erase,
    FromFrame,
    FromMerge,
    Ground,
    Heal,
    Sharpen,
    StepJson,
    Stroke,
    ToneStep,
)
from amber_ladder.formats.pictures import colour_profile, read_picture
from amber_ladder.formats.profiles import is_linear
from amber_ladder.formats.results import read_depth
from amber_ladder.work.on_disk.mend_dust import Rack, spot_json
from amber_ladder.work.on_disk.mend_ground import Grounds
from amber_ladder.work.on_disk.merge_result import MergeResult, read_merge

_SAME_FROM = 0.5  # correlation: two merges of the same frames come to 0.9, of others to nothing
_THREADS = 2


class LayerMaker:
    """Makes layers of steps: everything is checked before the first of them is."""

    def __init__(
        self, merge: MergeResult, frames: Mapping[str, Path], *, merges: Callable[[str], Path] = Path,
        rack: Rack | None = None, read: Callable[[Path], NDArray[Any]] = read_picture,
    ) -> None:  # fmt: skip
        """``frames`` tells by name where the merged frames lie, ``merges`` where other merges do.

        With a ``rack``, dust need not be looked for again; ``read`` reads a picture.
        """
        self._merge, self._frames, self._merges, self._rack, self._read = merge, frames, merges, rack, read
        self._placed, self._grounds = merge.placed, Grounds(merge)
        height, width = merge.composite.shape[:2]
        self._whole = Box(0, 0, width, height)
        self._others: dict[str, tuple[MergeResult, Matrix, float]] = {}

    def check(self, steps: Sequence[StepJson]) -> Crop | None:
        """The crop, if any. Raises BadInput for the first step that cannot be done."""
        crop: Crop | None = None
        for number, step in enumerate(steps, 1):
            if step.off:
                continue
            with _naming(number, step):
                if crop:
                    raise BadInput("stands behind the crop, which has to be the last step")
                crop = self.checked(step) or crop
        return crop

    def checked(self, step: StepJson) -> Crop | None:
        """The crop of a step that crops. Raises BadInput where it cannot be done."""
        match step:
            case FromFrame(file=file) if file == BEST:
                self._check_all_frames()
                for point in step.path:
                    self._check_inside(point)
            case FromFrame():
                self._check_frame(step.file)
            case FromMerge():
                self._other(step.merge)
            case CropStep():
                crop = step.crop()
                if not crop.fits(self._whole.right, self._whole.bottom):
                    raise BadInput(
                        f"reaches beyond the picture of {self._whole.right} × {self._whole.bottom} px: nothing is "
                        "filled in at its edges"
                    )
                return crop
            case Ground():
                self._check_ground(step)
            case Dust():
                self._check_all_frames()
            case _:
                pass
        brush = step.brush() if isinstance(step, Stroke | Brushed) else None
        if brush and brush.box.within(self._whole).is_empty:
            raise BadInput(f"lies outside of the picture of {self._whole.right} × {self._whole.bottom} px")
        if isinstance(step, Heal):
            self._check_heal(step)
        return None

    def _check_heal(self, step: Heal) -> None:
        there = step.brush().box.within(self._whole).moved(*_way(step))
        if there != there.within(self._whole):
            raise BadInput("takes pixels from beyond the picture: nothing is filled in at its edges")

    def _check_ground(self, step: Ground) -> None:
        if step.like:
            self._check_inside(step.like)
        if step.like is None and self._merge.report["settings"].get("depth_unit") != "µm":
            raise BadInput("the depth of this merge is in frames, not in µm: merge with the step, or name a place")

    def _check_inside(self, place: tuple[float, float]) -> None:
        if not (0 <= place[0] < self._whole.right and 0 <= place[1] < self._whole.bottom):
            raise BadInput(f"the place lies outside of the picture of {self._whole.right} × {self._whole.bottom} px")

    def _check_all_frames(self) -> None:
        """What looks at every frame needs them all, and a merge that says how deep each lies."""
        if "blur_between_px" not in self._merge.report:
            raise BadInput("this was merged by an earlier version, which does not say what it needs: merge again")
        for name in self._placed:
            self._check_frame(name)

    def _check_frame(self, name: str) -> None:
        if name not in self._placed:
            out = next((one for one in self._merge.report.get("excluded", ()) if one["file"] == name), None)
            if out:
                raise BadInput(f"{name} was left out of the merge ({out['reason']}): paint from another frame")
            raise BadInput(f"{name} is not among the frames of this merge: name one of them")
        if name not in self._frames or not self._frames[name].is_file():
            raise BadInput(f"{name} is not among the originals any more: put it back, or switch this step off")

    def _other(self, folder: str) -> tuple[MergeResult, Matrix, float]:
        """Another merge, how it lies on this one, and what brings it to its brightness. Raises BadInput."""
        if folder not in self._others:
            other = read_merge(self._merges(folder))
            mine, its = self._placed, other.placed
            shared = [name for name in its if name in mine]
            if not shared or other.composite.shape != self._merge.composite.shape:
                raise BadInput(f"{folder} is the merge of another take: paint from one of the same frames")
            if other.composite.dtype != self._merge.composite.dtype:
                raise BadInput(f"{folder} was merged in another depth of tones: merge the same frames once more")
            first = other.report.get("reference_frame")
            name = first if first in shared else shared[0]
            (here, gain), (there, its_gain) = mine[name], its[name]
            matrix = compose(here, inverse(there))
            # Frames of two takes are often called the same.
            if likeness(self._merge.composite, other.composite, matrix) < _SAME_FROM:
                raise BadInput(f"{folder} shows something else than this merge: paint from one of the same frames")
            self._others[folder] = (other, matrix, gain / its_gain)
        return self._others[folder]

    def layers(
        self, steps: Sequence[StepJson], shelf: Path, progress: Progress
    ) -> tuple[list[Layer | Healed], list[dict[str, Any]]]:
        """Layers of all steps that are on, and what is to be said of each step. Patches are kept in ``shelf``."""
        chosen: dict[int, tuple[FromFrame, dict[str, Any]]] = {}
        for place, step in enumerate(steps):
            if isinstance(step, FromFrame) and step.file == BEST and not step.off:
                with _naming(place + 1, step):
                    chosen[place] = self.proposed(step)
        steps = [chosen[place][0] if place in chosen else step for place, step in enumerate(steps)]
        painted = self._painted(steps, shelf, progress)
        layers: list[Layer | Healed] = []
        told: list[dict[str, Any]] = []
        for place, step in enumerate(steps):
            if step.off:
                told.append({})
                continue
            with _naming(place + 1, step):
                made, said = self._made(step, painted.get(place), shelf / str(place), progress)
            layers += made
            told.append({**said, **(chosen[place][1] if place in chosen else {})})
        return layers, told

    def made(self, step: StepJson, path: Path) -> tuple[list[Layer | Healed], dict[str, Any]]:
        """The layers of one step, and what is to be said of it. What it paints is kept beside ``path``."""
        patch = None
        if isinstance(step, FromFrame | FromMerge):
            patch = self._cut(self._source(step), step, path)
        return self._made(step, patch, path, no_progress)

    def _made(  # noqa: PLR0911 - one way a kind of step
        self, step: StepJson, patch: Patch | None, path: Path, progress: Progress
    ) -> tuple[list[Layer | Healed], dict[str, Any]]:
        match step:
            case FromFrame() | FromMerge():
                assert patch is not None, "it was cut"
                return [Painted(step.brush(), patch)], _fit_json(patch.fitted) if step.align else {}
            case Erase():
                return [Erased(step.brush())], {}
            case Heal():
                return [Healed(step.brush(), *_way(step))], {"not_evidence": True}
            case ToneStep():
                return [Toned(step.black, step.white, step.gamma, step.highlights, step.brush())], {}
            case Sharpen() | Contrast():
                return [Sharpened(step.radius_px, step.amount, step.brush())], {}
            case Dust():
                replaced, said = self._cleaned(step, progress)
                return [Laid(one.box, one.pixels, one.share, Kind.DUST) for one in replaced], said
            case Ground():
                return [self._grounds.layer(step, path)], self._grounds.said(step)
            case CropStep():
                return [], {}  # is cut from what the layers give

    def _cut(self, source: Source, step: FromFrame | FromMerge, path: Path) -> Patch:
        patch = cut_patch(source, self._merge.composite, step.brush(), align=step.align, nudge=step.nudge)
        return _shelved(patch, path)

    def _painted(self, steps: Sequence[StepJson], shelf: Path, progress: Progress) -> dict[int, Patch]:
        """Patches of the steps that paint, by place; each source is read once, and one at a time."""
        painting = {
            place: step for place, step in enumerate(steps)
            if isinstance(step, FromFrame | FromMerge) and not step.off
        }  # fmt: skip
        asked: dict[str, list[int]] = {}
        for place, step in painting.items():
            asked.setdefault(step.file if isinstance(step, FromFrame) else f"/{step.merge}", []).append(place)
        patches: dict[int, Patch] = {}

        def cut(source: Source, place: int) -> Patch:
            return self._cut(source, painting[place], shelf / str(place))

        progress("cut", 0, len(asked))
        with ThreadPoolExecutor(max_workers=_THREADS) as pool:
            for done, places in enumerate(asked.values(), 1):
                source = self._source(painting[places[0]])
                patches.update(zip(places, pool.map(partial(cut, source), places), strict=True))
                progress("cut", done, len(asked))
        return patches

    def _source(self, step: FromFrame | FromMerge) -> Source:
        if isinstance(step, FromMerge):
            other, matrix, gain = self._other(step.merge)
            return Source(other.composite, matrix, gain)
        return Source(self.picture(step.file), *self._placed[step.file])

    def _cleaned(self, step: Dust, progress: Progress) -> tuple[list[Cleaned], dict[str, Any]]:
        """What replaces dust, from all frames of the merge, and what is to be said of it."""
        if self._rack:
            rack = self._rack.without(step.keep)
            return list(rack.cleaned), {"spots": list(rack.spots), "widest_told_px": rack.widest_told_px}
        progress("dust", 0, 2)
        rack = self.cleaned(step.keep, lambda done: progress("dust", done, 2))
        return list(rack.cleaned), {"spots": list(rack.spots), "widest_told_px": rack.widest_told_px}

    def cleaned(self, keep: Collection[int], at: Callable[[int], None]) -> Rack:
        """Look for dust in all frames, and replace what it left but for those spots; ``at`` is told the way, of 2."""
        files, index = self.in_focus_order
        profile = colour_profile(self._merge.folder / "composite.tif")
        linear = profile is not None and is_linear(profile)

        def light(place: int) -> NDArray[np.float32]:
            grey = to_grey(self.picture(files[place]), 1)
            return grey if linear else decode_srgb(grey)

        blur_px = self._merge.report["blur_between_px"] or 0.0
        spots = find_spots(light, chosen_frames(len(files)), blur_px)
        at(1)
        found = cleaned(
            spots, [Placed(*self._placed[file]) for file in files], index, self._merge.composite,
            lambda place: self.picture(files[place]), keep=keep, linear=linear,
        )  # fmt: skip
        at(2)
        replaced = {one.spot: one for one in found}
        told = tuple(spot_json(number, spot, replaced.get(number), files) for number, spot in enumerate(spots))
        return Rack(tuple(found), told, round(widest_told_px(blur_px), 1))

    @cached_property
    def in_focus_order(self) -> tuple[list[str], NDArray[np.float32]]:
        """The merged frames, nearest first, and where among them each pixel is sharp (H, W), as far as is known."""
        in_order = sorted(self._merge.report["registration"], key=lambda one: float(one["depth"]))
        depth = read_depth(self._merge.folder / "depth.tif")
        index = np.interp(depth, [one["depth"] for one in in_order], np.arange(len(in_order))).astype(np.float32)
        index[np.isnan(depth)] = np.nan
        return [one["file"] for one in in_order], nearest_known(index)

    def proposed(self, step: FromFrame) -> tuple[FromFrame, dict[str, Any]]:
        """The step with the frame that shows a part best, along its own way, and what is to be said of the choice."""
        files, index = self.in_focus_order

        def source(at: int) -> Source:
            return Source(self.picture(files[at]), *self._placed[files[at]])

        part = propose_part(source, len(files), index, step.path[0], step.path[1])
        if part is None:
            raise BadInput("no frame shows anything between base and tip: name a frame")
        said = {
            "chosen": {
                "file": files[part.place],
                "path": [[round(x, 1), round(y, 1)] for x, y in part.path],
                "half_width_px": round(part.radius_px, 1),
                "detail": {files[at]: round(share, 3) for at, share in part.figures.items()},
            }
        }
        return step.model_copy(update={"file": files[part.place], "path": list(part.path)}), said

    def picture(self, file: str) -> NDArray[Any]:
        """A frame as it was merged. Raises BadInput for one that is no longer that."""
        try:
            picture = self._read(self._frames[file])
        except UnreadablePicture:
            raise
        except Exception as error:  # decoders raise whatever a damaged file leads them to
            raise UnreadablePicture(file, "is damaged or cut short") from error
        composite = self._merge.composite
        if picture.shape != composite.shape or picture.dtype != composite.dtype:
            raise BadInput(
                f"{file} is no longer what was merged (another size or depth of tones): put the original back"
            )
        return picture


@contextmanager
def _naming(number: int, step: StepJson) -> Iterator[None]:
    """Say which step it is that cannot be done."""
    try:
        yield
    except BadInput as error:
        raise BadInput(f"step {number} ({step.kind}): {error}", field=f"steps.{number - 1}") from error


def _way(step: Heal) -> tuple[int, int]:
    """How far away the pixels come from, in whole px: what is taken stays as it is."""
    return round(step.from_[0] - step.path[0][0]), round(step.from_[1] - step.path[0][1])


def _fit_json(fit: Fitted) -> dict[str, Any]:
    said: dict[str, Any] = {
        "aligned": fit.found,
        "shift_px": [round(one, 3) for one in fit.shift_px],
        "u_px": round(fit.u_px, 3) if np.isfinite(fit.u_px) else None,
        "gains": [round(one, 4) for one in fit.gains],
    }
    return (
        said
        if fit.found
        else {**said, "note": "its surroundings do not tell how it lies: it is where the merge has it"}
    )


def _shelved(patch: Patch, path: Path) -> Patch:
    """The same patch, kept on the disk and read as it is needed: memory does not grow with the number of steps."""
    kept = []
    for name, array in (("pixels", patch.pixels), ("covered", patch.covered)):
        file = path.with_suffix(f".{name}.npy")
        np.save(file, array)
        kept.append(np.load(file, mmap_mode="r"))
    return replace(patch, pixels=kept[0], covered=kept[1])
