"""The desk: merges that are being mended, opened, with the layers of their steps made ready as they are needed."""

import json
import shutil
import tempfile
import threading
import weakref
from collections import OrderedDict
from collections.abc import Callable, Mapping, Sequence
from hashlib import sha256
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.mending import TILE_PX, Box, Healed, Layer, Mended, Source, shown_in
from amber_ladder.formats.mend_json import Brushed, CropStep, Dust, Heal, Sharpen, StepJson, Stroke
from amber_ladder.formats.pictures import read_picture
from amber_ladder.settings import settings
from amber_ladder.store import mends, stacks
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Product
from amber_ladder.work.mend.history import as_json
from amber_ladder.work.merge.developed import DevelopedFrames
from amber_ladder.work.merge.merges import KIND as MERGE
from amber_ladder.work.merge.merges import series_of
from amber_ladder.work.on_disk.developing_alike import needs_development
from amber_ladder.work.on_disk.mend_dust import Rack
from amber_ladder.work.on_disk.mend_layers import LayerMaker
from amber_ladder.work.on_disk.merge_result import MergeResult, read_merge
from amber_ladder.work.on_disk.paint_rack import read_rack

RACK = "rack"
UNTOUCHED = "0"
_KEPT_BYTES = 400_000_000
_OPEN, _TILES = 3, 160
_AT_ONCE = threading.Semaphore(2)

Pixels = NDArray[np.uint8]
Made = tuple[list[Layer | Healed], dict[str, Any]]


class _Pictures:
    """Pictures that were read last stay at hand: a frame is painted from again and again."""

    def __init__(self) -> None:
        self._kept: OrderedDict[Path, NDArray[Any]] = OrderedDict()
        self._lock = threading.Lock()

    def read(self, path: Path) -> NDArray[Any]:
        with self._lock:
            if path in self._kept:
                self._kept.move_to_end(path)
                return self._kept[path]
        picture = read_picture(path)
        with self._lock:
            self._kept[path] = picture
            while len(self._kept) > 1 and sum(one.nbytes for one in self._kept.values()) > _KEPT_BYTES:
                self._kept.popitem(last=False)
        return picture


_PICTURES = _Pictures()


class Opened:
    """One merge on the desk. Safe for several threads."""

    def __init__(self, merge: MergeResult, frames: Mapping[str, Path], rack: Rack | None) -> None:
        self.merge = merge
        self.maker = LayerMaker(merge, frames, merges=merge_folder, rack=rack, read=_PICTURES.read)
        self.whole = Box(0, 0, merge.composite.shape[1], merge.composite.shape[0])
        self.tile_px = TILE_PX
        self.has_rack = rack is not None
        self._dust = [spot["box"] for spot in rack.spots if spot["replaced"]] if rack else []
        self._shelf = Path(tempfile.mkdtemp(prefix="amber-ladder-mend-"))
        weakref.finalize(self, shutil.rmtree, self._shelf, ignore_errors=True)
        self._made: dict[str, Made] = {}
        self._mended: OrderedDict[str, Mended] = OrderedDict()
        self._tiles: OrderedDict[str, tuple[Pixels, NDArray[np.uint8]]] = OrderedDict()
        self._lock, self._making = threading.Lock(), threading.Lock()

    def made(self, step: StepJson) -> Made:
        """The layers of one step, and what is to be said of it. Raises BadInput where it cannot be done."""
        key = _key(step)
        with self._making:
            if key not in self._made:
                self._made[key] = self.maker.made(step, self._shelf / key)
            return self._made[key]

    def keys(self, steps: Sequence[StepJson]) -> list[list[str]]:
        """A name for what each tile shows, row by row: other steps that touch it give another; UNTOUCHED for none."""
        steps = [one for one in steps if not one.off and not isinstance(one, CropStep)]
        reach = sum(_reach(one) for one in steps)
        touched, before = [], ""
        for step in steps:
            name = _key(step)
            # What is healed shows what all steps before left elsewhere.
            touched.append((self._boxes(step, reach), f"{before}{name}" if isinstance(step, Heal) else name))
            before = _short(before + name)
        return [
            [_name_of([name for boxes, name in touched if _meets(boxes, box)]) for box in row] for row in self._grid()
        ]

    def _boxes(self, step: StepJson, reach: int) -> list[Box] | None:
        """Where a step can change anything; None for everywhere."""
        if isinstance(step, Stroke):
            return [step.brush().box.wider(reach)]
        if isinstance(step, Brushed) and (brush := step.brush()):
            return [brush.box.wider(reach)]
        if isinstance(step, Dust):
            return [
                Box(one["x"], one["y"], one["x"] + one["width"], one["y"] + one["height"]).wider(reach)
                for one in self._dust
            ]
        return None

    def _grid(self) -> list[list[Box]]:
        whole = self.whole
        return [
            [Box(x, y, min(x + self.tile_px, whole.right), min(y + self.tile_px, whole.bottom))
             for x in range(0, whole.right, self.tile_px)]
            for y in range(0, whole.bottom, self.tile_px)
        ]  # fmt: skip

    def tile(self, steps: Sequence[StepJson], key: str, box: Box) -> tuple[Pixels, NDArray[np.uint8]]:
        """A tile as shown (h, w, 3) in 8 bits, and how its pixels came to be (h, w). ``key`` is its name."""
        if key == UNTOUCHED:
            return _in_8_bits(self.merge.composite[self.whole.part(box)]), np.zeros(box.shape, np.uint8)
        kept_as = f"{key}-{box.left}-{box.top}"
        with self._lock:
            if kept_as in self._tiles:
                self._tiles.move_to_end(kept_as)
                return self._tiles[kept_as]
        with _AT_ONCE:
            pixels, kinds = self.mended(steps).tile(box)
        made = _in_8_bits(pixels), kinds
        with self._lock:
            self._tiles[kept_as] = made
            while len(self._tiles) > _TILES:
                self._tiles.popitem(last=False)
        return made

    def mended(self, steps: Sequence[StepJson]) -> Mended:
        """The merge with these steps laid on it."""
        steps = [one for one in steps if not one.off]
        key = _short("".join(map(_key, steps)))
        with self._lock:
            if key in self._mended:
                return self._mended[key]
        mended = Mended(self.merge.composite, [layer for step in steps for layer in self.made(step)[0]])
        with self._lock:
            self._mended[key] = mended
            while len(self._mended) > _OPEN:
                self._mended.popitem(last=False)
        return mended

    def laid(self, name: str, box: Box) -> Pixels:
        """What a frame shows of a box, laid as the merge had it; black where it shows nothing."""
        matrix, gain = self.merge.placed[name]
        with _AT_ONCE:
            pixels, covered = shown_in(Source(self.maker.picture(name), matrix, gain), box)
        return np.asarray(_in_8_bits(pixels) * covered[..., None], np.uint8)

    def shrunk(self, of: Callable[[Box], Pixels], level: int, column: int, row: int) -> Pixels:
        """A tile of the picture made smaller by 2 to the ``level``, from ``of``, which gives whole tiles of it."""
        return _shrunk(of, self.block(level, column, row), level)

    def block(self, level: int, column: int, row: int) -> list[list[Box]]:
        """The tiles below one of the picture made smaller, row by row; empty beyond the picture."""
        count, grid = 1 << level, self._grid()
        rows = grid[row * count : (row + 1) * count]
        return [line[column * count : (column + 1) * count] for line in rows if line[column * count :]]


def _shrunk(of: Callable[[Box], Pixels], block: Sequence[Sequence[Box]], level: int) -> Pixels:
    if level == 0:
        return of(block[0][0])
    lines = []
    for row in block:
        sizes = [(-(-box.shape[1] // (1 << level)), -(-box.shape[0] // (1 << level))) for box in row]
        small = [cv2.resize(of(box), size, interpolation=cv2.INTER_AREA) for box, size in zip(row, sizes, strict=True)]
        lines.append(np.hstack(small))
    return np.asarray(np.vstack(lines), np.uint8)


def name_of_block(keys: Sequence[Sequence[str]], level: int, column: int, row: int) -> str:
    """The name of a tile of the picture made smaller, from those of the tiles below it (32-bit FNV-1a)."""
    count = 1 << level
    rows = keys[row * count : (row + 1) * count]
    below = [key for line in rows for key in line[column * count : (column + 1) * count]]
    if len(below) == 1:
        return below[0]
    if all(key == UNTOUCHED for key in below):
        return UNTOUCHED
    told = 0x811C9DC5
    for byte in ",".join(below).encode():
        told = ((told ^ byte) * 0x01000193) & 0xFFFFFFFF
    return f"{told:08x}"


class _Desk:
    """The merges that were opened last."""

    def __init__(self) -> None:
        self._open: OrderedDict[tuple[int, bool], Opened] = OrderedDict()
        self._lock, self._opening = threading.Lock(), threading.Lock()

    def opened(self, merge_id: int) -> Opened:
        with transaction() as session:
            rack = rack_of(session, merge_id)
            ready = (rack.id, rack.report) if rack and rack.report else None
        key = merge_id, ready is not None
        with self._opening:  # once is enough
            found = self._found(key) or _open(merge_id, ready)
            with self._lock:
                self._open[key] = found
                while len(self._open) > _OPEN:
                    self._open.popitem(last=False)
        return found

    def _found(self, key: tuple[int, bool]) -> Opened | None:
        with self._lock:
            if key in self._open:
                self._open.move_to_end(key)
            return self._open.get(key)


_DESK = _Desk()


def opened(merge_id: int) -> Opened:
    """A finished merge, opened. Raises NotFound, BadInput where its files are gone or damaged."""
    return _DESK.opened(merge_id)


def rack_of(session: Session, merge_id: int) -> Product | None:
    """The latest rack of a merge that was not stopped, be it finished or not."""
    found = [one for one in mends.products(session, merge_id, RACK) if one.task.state not in ("stopped", "failed")]
    return found[-1] if found else None


def merged_frames(merge_id: int) -> Mapping[str, Path]:
    """Where the frames of a merge lie as they were merged, by name; developed when asked for. Raises NotFound."""
    store = FrameStore(settings().data)
    with transaction() as session:
        merge = stacks.get_product(session, merge_id, MERGE)
        development = merge.sorting.development if merge.sorting else None
        found = {frame.name: store.place(frame.sha256, frame.suffix) for frame in merge.take.frames}
        if not needs_development(list(found.values()), development):
            return found
        originals = series_of(store, merge).originals
    return DevelopedFrames(store, originals, development)


def _open(merge_id: int, ready: tuple[int, dict[str, Any]] | None) -> Opened:
    store = FrameStore(settings().data)
    merge = read_merge(store.product_folder(merge_id))
    dust = read_rack(store.product_folder(ready[0]), ready[1]) if ready else None
    return Opened(merge, merged_frames(merge_id), dust)


def merge_folder(name: str) -> Path:
    """Where another merge lies; in the application, merges are called by their number."""
    return FrameStore(settings().data).product_folder(int(name))


def _reach(step: StepJson) -> int:
    return int(np.ceil(3 * step.radius_px)) + 1 if isinstance(step, Sharpen) or step.kind == "contrast" else 0


def _meets(boxes: list[Box] | None, box: Box) -> bool:
    return boxes is None or any(not one.within(box).is_empty for one in boxes)


def _key(step: StepJson) -> str:
    return _short(json.dumps({**as_json(step), "off": False}, sort_keys=True))


def _name_of(names: Sequence[str]) -> str:
    return _short("".join(names)) if names else UNTOUCHED


def _short(words: str) -> str:
    return sha256(words.encode()).hexdigest()[:16]


def _in_8_bits(pixels: NDArray[Any]) -> Pixels:
    return np.asarray(pixels >> 8 if pixels.dtype == np.uint16 else pixels, np.uint8)
