"""Developing a folder of frames, raw or not: all alike, into 16-bit TIFF."""

from collections import Counter
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import decode_srgb
from amber_ladder.core.developing import (
    NEUTRAL,
    Development,
    Multipliers,
    WhiteBalance,
    apply_curves,
    as_it_lies,
    balanced_on,
    curves,
    upright,
)
from amber_ladder.core.frames import Progress
from amber_ladder.errors import BadInput, UnreadablePicture
from amber_ladder.formats.exif import exif_of
from amber_ladder.formats.files import folder_in_one_piece
from amber_ladder.formats.metadata import noted_in
from amber_ladder.formats.pictures import (
    PICTURE_NAMES,
    RAW_NAMES,
    LeftOut,
    colour_profile,
    examine,
    natural_key,
    read_picture,
)
from amber_ladder.formats.profiles import linear_profile, name_of, srgb_profile
from amber_ladder.formats.raw import develop_raw, mean_of_mosaic, read_raw_info
from amber_ladder.formats.results import write_composite

_THREADS = 2


@dataclass(frozen=True, slots=True)
class Undeveloped:
    """A frame to be developed: is it raw, how large it is as it lies in its file, and its own orientation."""

    name: str
    path: Path
    raw: bool
    width_px: int
    height_px: int
    bits: int
    orientation: int


class Developer:
    """Develops frames of one stack, all alike. Raises BadInput for settings that none of them allows.

    As shot is the white balance of the first raw frame, for all of them; other frames have theirs in them. Frames of
    one stack lie alike: ``orientation`` (EXIF) is given to all.
    """

    def __init__(
        self,
        frames: Sequence[Undeveloped],
        settings: Development,
        white_balance: WhiteBalance | Multipliers,
        *,
        orientation: int,
    ) -> None:
        settings.checked()
        _check_one_kind(frames)
        self.strange_profile = _strange_profile(frames)
        if self.strange_profile and settings.tone == "linear":
            raise BadInput(
                f"the frames carry the colour profile {self.strange_profile!r}: only sRGB can be made linear. Convert "
                "them, or develop for display",
                field="tone",
            )
        if isinstance(white_balance, tuple):
            self.multipliers = white_balance
        else:
            self.multipliers = _balance(frames, white_balance, orientation)
        self._settings, self._orientation = settings, orientation
        self._tables = {bits: curves(settings, self.multipliers, bits=bits, linear=False) for bits in (8, 16)}
        self._of_raw = curves(settings, NEUTRAL, bits=16, linear=True)  # balanced while it was developed

    def picture(self, frame: Undeveloped) -> NDArray[np.uint16]:
        """A frame developed, (H, W, 3). Raises UnreadablePicture."""
        picture = develop_raw(frame.path, self.multipliers) if frame.raw else _read(frame.path)
        tables = self._of_raw if frame.raw else self._tables[frame.bits]
        return np.asarray(upright(apply_curves(picture, tables), self._orientation))

    def write(self, frame: Undeveloped, path: Path) -> None:
        """Write a frame developed, as 16-bit TIFF with its colour profile. Raises UnreadablePicture, StorageFull."""
        profile = srgb_profile() if frame.raw else colour_profile(frame.path)
        write_composite(
            path, self.picture(frame),
            colour_profile=linear_profile() if self._settings.tone == "linear" else profile, exif=exif_of(frame.path),
        )  # fmt: skip


def develop_folder(
    folder: Path, out: Path, settings: Development, white_balance: WhiteBalance, progress: Progress
) -> dict[str, Any]:
    """Develop all frames of a folder into ``out``, all or nothing; what ``./ladder develop`` prints.

    The orientation that most frames note is given to all. Raises BadInput, StorageFull.
    """
    if out.resolve() == folder.resolve():
        raise BadInput("the results cannot go into the folder of the originals: name another", field="out")
    frames, left_out = _frames_in(folder)
    if not frames:
        why = "; ".join(f"{one.name} {one.reason}" for one in left_out[:3])
        raise BadInput(f"{folder} holds no frame that can be developed" + (f": {why}" if why else ""), field="folder")
    orientation = Counter(frame.orientation for frame in frames).most_common(1)[0][0]
    developer = Developer(frames, settings, white_balance, orientation=orientation)
    _check_names(frames)
    done = 0
    progress("develop", 0, len(frames))
    with folder_in_one_piece(out) as scratch:

        def develop(frame: Undeveloped) -> LeftOut | None:
            try:
                developer.write(frame, scratch / f"{frame.path.stem}.tif")
            except UnreadablePicture as error:
                return LeftOut(frame.path.name, error.reason)
            return None

        with ThreadPoolExecutor(max_workers=_THREADS) as pool:
            for failed in pool.map(develop, frames):
                left_out += [failed] if failed else []
                done += 1
                progress("develop", done, len(frames))
        damaged = {one.name for one in left_out}
        developed = [frame.path.name for frame in frames if frame.path.name not in damaged]
        if not developed:
            raise BadInput(f"{folder} holds no frame that can be developed: {left_out[0].reason}", field="folder")
    return {
        "developed": developed,
        "left_out": [{"file": one.name, "reason": one.reason} for one in left_out],
        "white_balance": {
            "from": _told(white_balance),
            "multipliers": [round(one, 5) for one in developer.multipliers],
        },
        "orientation": orientation,
        "settings": asdict(settings),
        "warnings": _warnings(frames, orientation, developer.strange_profile),
        "out": str(out),
    }


def _frames_in(folder: Path) -> tuple[list[Undeveloped], list[LeftOut]]:
    if not folder.is_dir():
        raise BadInput(f"{folder} is not a folder: name one that holds the frames", field="folder")
    paths = [
        path for path in sorted(folder.iterdir(), key=lambda path: natural_key(path.name))
        if path.is_file() and path.suffix.lower() in PICTURE_NAMES | RAW_NAMES
    ]  # fmt: skip
    frames, left_out = [], []
    for path in paths:
        try:
            frames.append(_frame(path))
        except UnreadablePicture as error:
            left_out.append(LeftOut(path.name, error.reason))
    return frames, left_out


def _frame(path: Path) -> Undeveloped:
    if path.suffix.lower() in RAW_NAMES:
        told = read_raw_info(path)
        return Undeveloped(path.name, path, True, told.width_px, told.height_px, 16, told.orientation)
    info = examine(path, pixels=False)
    return Undeveloped(
        path.name, path, False, info.width_px, info.height_px, info.bits, noted_in(path).orientation or 1
    )


def _check_one_kind(frames: Sequence[Undeveloped]) -> None:
    """Raises BadInput for frames that cannot be developed together."""
    if len({frame.raw for frame in frames}) > 1:
        strange = next(frame for frame in frames if frame.raw != frames[0].raw)
        kinds = ("raw", "no raw") if frames[0].raw else ("no raw", "raw")
        raise BadInput(
            f"{frames[0].name} is {kinds[0]} file and {strange.name} {kinds[1]}: put them into folders of their own",
            field="folder",
        )


def _check_names(frames: Sequence[Undeveloped]) -> None:
    """Raises BadInput for frames whose results would have one name."""
    stems: dict[str, str] = {}
    for frame in frames:
        other = stems.setdefault(frame.path.stem.lower(), frame.path.name)
        if other != frame.path.name:
            raise BadInput(f"{other} and {frame.path.name} would both become {frame.path.stem}.tif: rename one")


def _balance(frames: Sequence[Undeveloped], white_balance: WhiteBalance, orientation: int) -> Multipliers:
    if white_balance == "as_shot":
        return read_raw_info(frames[0].path).as_shot if frames[0].raw else NEUTRAL
    frame = next((one for one in frames if one.name == white_balance.file), None)
    if frame is None:
        raise BadInput(f"{white_balance.file} is not among the frames: name one of them", field="white_balance")
    if not 1 <= white_balance.size_px <= min(frame.width_px, frame.height_px):
        raise BadInput(f"a square of {white_balance.size_px} px does not fit into a frame", field="white_balance")
    size = (frame.width_px, frame.height_px)
    x, y = as_it_lies(int(white_balance.x), int(white_balance.y), size, orientation)
    if not (0 <= x < frame.width_px and 0 <= y < frame.height_px):
        raise BadInput(f"the neutral place lies outside of {frame.name}", field="white_balance")
    if frame.raw:
        return balanced_on(mean_of_mosaic(frame.path, x, y, max(white_balance.size_px, 4)))
    half = white_balance.size_px // 2
    square = read_picture(frame.path)[
        max(y - half, 0) : y - half + white_balance.size_px, max(x - half, 0) : x - half + white_balance.size_px
    ]
    light = decode_srgb(square.astype(np.float32) / np.float32((1 << frame.bits) - 1))
    return balanced_on(light.reshape(-1, 3).mean(axis=0).astype(np.float64))


def _read(path: Path) -> NDArray[Any]:
    try:
        return read_picture(path)
    except UnreadablePicture:
        raise
    except Exception as error:  # decoders raise whatever a damaged file leads them to
        raise UnreadablePicture(path.name, "is damaged or cut short") from error


def _told(white_balance: WhiteBalance) -> Any:
    return white_balance if isinstance(white_balance, str) else asdict(white_balance)


def _strange_profile(frames: Sequence[Undeveloped]) -> str | None:
    """The name of the colour profile of the first frame, where that is not sRGB; None for raw, and where none is."""
    profile = None if frames[0].raw else colour_profile(frames[0].path)
    name = name_of(profile) if profile else "sRGB"
    return None if "srgb" in name.lower() else name


def _warnings(frames: Sequence[Undeveloped], orientation: int, strange: str | None) -> list[str]:
    turned = [frame.path.name for frame in frames if frame.orientation != orientation]
    told = []
    if strange:
        told.append(f"the colour profile {strange!r} is kept; tones are reckoned with the curve of sRGB")
    if turned:
        told.append(f"{turned[0]} notes another orientation than most frames: all lie as most do")
    sizes = {(frame.width_px, frame.height_px) for frame in frames}
    if len(sizes) > 1:
        told.append("frames are of several sizes: those of another size than most cannot be merged with them")
    return told
