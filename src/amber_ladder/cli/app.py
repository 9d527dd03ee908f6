"""The commands for plain folders and for the simulated rail: results to stdout, progress to stderr."""

import json
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Any, TypeVar

import typer
from pydantic import BaseModel, ValidationError
from rich.console import Console
from rich.progress import BarColumn, Progress, TaskProgressColumn, TextColumn, TimeRemainingColumn

from amber_ladder.cli.choices import ExportChoice, MethodChoice, MovedChoice, OrderChoice, PositionsJson
from amber_ladder.core.frames import Progress as Report
from amber_ladder.core.frames import no_progress
from amber_ladder.core.fusion import USUAL_WINDOW_PX
from amber_ladder.core.optics import resolve
from amber_ladder.errors import AmberLadderError, BadInput
from amber_ladder.formats.development_json import DevelopmentJson
from amber_ladder.formats.plan_json import PlanJson, ladder_json, optics_json
from amber_ladder.formats.rig_json import RigJson
from amber_ladder.formats.validated import refusal
from amber_ladder.work.on_disk.merge_settings import MergeSettings
from amber_ladder.work.practice.rail import USUAL, serve_rail

app = typer.Typer(
    name="ladder",
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    help="Plan, shoot and merge focus stacks. `./ladder demo` starts the application.",
)

Model = TypeVar("Model", bound=BaseModel)
_EVERY_S = 1.0
_PHASES = {
    "shoot": "Shooting",
    "register": "Aligning and measuring focus",
    "merge": "Merging",
    "save": "Saving",
    "look": "Looking",
    "develop": "Developing",
    "cut": "Taking paint from frames",
    "dust": "Finding dust",
    "mend": "Mending",
    "pack": "Packing, in MB",
    "check": "Checking, in MB",
}


@app.command("optics")
def optics_command(rig: Annotated[Path, typer.Argument(metavar="RIG.json", help="The rig.")]) -> None:
    """What a rig does: magnification, effective aperture, sharp depth, detail, field."""
    with plain_errors():
        _print(optics_json(resolve(_read(rig, RigJson).to_core())))


@app.command("plan")
def plan_command(
    plan: Annotated[Path, typer.Argument(metavar="PLAN.json", help="Rig, end points, rail.")],
) -> None:
    """The ladder: step, frames, positions, blur between rungs, time, space."""
    from amber_ladder.work.on_disk.planning import whole_ladder

    with plain_errors():
        entry = _read(plan, PlanJson)
        _print(ladder_json(whole_ladder(entry), entry))


@app.command("check")
def check_command(
    folder: Annotated[Path, typer.Argument(metavar="FOLDER", help="Frames of one or many stacks, or a whole card.")],
    progress: Annotated[bool, typer.Option("--progress", help="Report progress even into a pipe.")] = False,
) -> None:
    """Split a folder into stacks, and say what is wrong with its frames, what to trim, and what is missing."""
    from amber_ladder.work.on_disk.checking import check_folder

    with plain_errors(), _reporting(progress) as report:
        result = check_folder(folder, report)
    _print(result)


@app.command("develop")
def develop_command(
    folder: Annotated[Path, typer.Argument(metavar="FOLDER", help="Frames of one stack: raw, or JPEG, PNG, TIFF.")],
    out: Annotated[Path, typer.Option(help="Folder for the developed frames.")],
    settings: Annotated[
        Path | None, typer.Option(metavar="DEVELOPMENT.json", help="White balance, exposure, black, tones.")
    ] = None,
    progress: Annotated[bool, typer.Option("--progress", help="Report progress even into a pipe.")] = False,
) -> None:
    """Develop all frames of a folder alike, each into a TIFF of 16 bits."""
    # Here: the other commands start without what raw needs.
    from amber_ladder.work.on_disk.developing import develop_folder

    with plain_errors(), _reporting(progress) as report:
        asked = _read(settings, DevelopmentJson) if settings else DevelopmentJson()
        result = develop_folder(folder, out, asked.to_core(), asked.balance(), report)
    _print(result)


@app.command("merge")
def merge_command(
    folder: Annotated[Path, typer.Argument(metavar="FOLDER", help="The frames: JPEG, PNG or TIFF.")],
    out: Annotated[Path, typer.Option(help="Folder for composite.tif, depth.tif and report.json.")],
    method: Annotated[MethodChoice, typer.Option(help="How to merge.")] = MethodChoice.AUTO,
    order: Annotated[OrderChoice, typer.Option(help="Which end was shot first.")] = OrderChoice.AUTO,
    step_um: Annotated[float | None, typer.Option(min=1e-6, help="Step between frames, for depth in µm.")] = None,
    um_per_px: Annotated[float | None, typer.Option(min=1e-9, help="Scale, written into the TIFF.")] = None,
    window_px: Annotated[float, typer.Option(help="Over which the pyramid compares detail.")] = USUAL_WINDOW_PX,
    calm: Annotated[float, typer.Option(help="How far the pyramid averages where no frame stands out, 0 to 1.")] = 0.0,
    sharp_near_um: Annotated[float | None, typer.Option(help="Depth at which sharpness shall begin.")] = None,
    sharp_far_um: Annotated[float | None, typer.Option(help="Depth at which sharpness shall end.")] = None,
    moved: Annotated[
        MovedChoice,
        typer.Option(help="What moved: by the nearer frames or the farther ones; auto: where it is in focus."),
    ] = MovedChoice.AUTO,
    exclude: Annotated[list[str] | None, typer.Option(metavar="NAME", help="A frame that takes no part.")] = None,
    positions: Annotated[
        Path | None, typer.Option(metavar="POSITIONS.json", help="Depth of each frame in the medium: {file: µm}.")
    ] = None,
    rig: Annotated[Path | None, typer.Option(metavar="RIG.json", help="The rig: scale, and blur in focus.")] = None,
    progress: Annotated[bool, typer.Option("--progress", help="Report progress even into a pipe.")] = False,
) -> None:
    """Merge a folder of frames into one picture and a depth map."""
    from amber_ladder.work.on_disk.merging import merge_folder

    with plain_errors(), _reporting(progress) as report:
        settings = MergeSettings(
            method.value, order.value, step_um, um_per_px, window_px, calm, sharp_near_um, sharp_far_um,
            moved.value, tuple(exclude or ()), _read(positions, PositionsJson).root if positions else {},
            _read(rig, RigJson).to_core() if rig else None,
        )  # fmt: skip
        result = merge_folder(folder, out, settings, report)
    shown = ("reference_frame", "method", "gave", "crop", "coverage", "excluded", "findings", "warnings", "seconds")
    _print({key: result[key] for key in shown})


@app.command("mend")
def mend_command(
    result: Annotated[Path, typer.Argument(metavar="RESULT", help="The folder that a merge was written to.")],
    steps: Annotated[Path, typer.Argument(metavar="STEPS.json", help="The steps, in their order.")],
    frames: Annotated[Path, typer.Option(metavar="FOLDER", help="The frames that were merged.")],
    out: Annotated[Path, typer.Option(help="Folder for composite.tif, changed.tif and report.json.")],
    progress: Annotated[bool, typer.Option("--progress", help="Report progress even into a pipe.")] = False,
) -> None:
    """Mend a merge by a list of steps; merge and frames stay as they are."""
    from amber_ladder.formats.mend_json import StepsJson
    from amber_ladder.work.on_disk.mending import mend_folder

    with plain_errors(), _reporting(progress) as report:
        told = mend_folder(result, _read(steps, StepsJson).steps, frames, out, report)
    _print({**told, "out": str(out)})


@app.command("measure")
def measure_command(
    result: Annotated[Path, typer.Argument(metavar="RESULT", help="The folder that a merge was written to.")],
    measures: Annotated[Path, typer.Argument(metavar="MEASURES.json", help="What to measure, and where.")],
) -> None:
    """Sizes on a merged picture, each with its expanded uncertainty and what that is made of."""
    from amber_ladder.formats.measures_json import MeasuresJson
    from amber_ladder.work.on_disk.measuring import measure_folder

    with plain_errors():
        _print(measure_folder(result, _read(measures, MeasuresJson)))


@app.command("tiles")
def tiles_command(
    tiles: Annotated[Path, typer.Argument(metavar="TILES.json", help="Which merges, and where each was said to lie.")],
    out: Annotated[Path, typer.Option(metavar="OUT", help="A new folder for the whole.")],
    progress: Annotated[bool, typer.Option("--progress", help="Report progress even into a pipe.")] = False,
) -> None:
    """Merges that overlap, laid together in one picture and depth map, with the seams told."""
    from amber_ladder.formats.tile_set_json import TileSetJson
    from amber_ladder.work.on_disk.laying import lay_tiles

    with plain_errors(), _reporting(progress) as report:
        _print(lay_tiles(_read(tiles, TileSetJson), tiles.parent, out, report))


@app.command("export")
def export_command(
    result: Annotated[Path, typer.Argument(metavar="RESULT", help="The folder that a merge was written to.")],
    kind: Annotated[ExportChoice, typer.Option("--as", help="The format.")],
    out: Annotated[Path, typer.Option(metavar="PATH", help="The file to write; a new folder for iiif.")],
    um_per_px: Annotated[float | None, typer.Option(min=1e-6, help="Scale, if it is not the merge's own.")] = None,
    bar: Annotated[bool, typer.Option("--bar", help="With a scale bar below the picture.")] = False,
    address: Annotated[
        str | None, typer.Option(metavar="URL", help="Where the folder for a web site (iiif) will be given out.")
    ] = None,
) -> None:
    """A merged picture, its depth or its surface in a format that others read."""
    # Here: the other commands start without what meshes and tiles need.
    from amber_ladder.work.on_disk.exporting import export

    with plain_errors():
        _print(export(result, kind.value, out, um_per_px=um_per_px, bar=bar, address=address))


@app.command("package")
def package_command(
    result: Annotated[Path, typer.Argument(metavar="RESULT", help="The folder that a merge was written to.")],
    frames: Annotated[Path, typer.Option(metavar="FOLDER", help="The frames that were merged.")],
    out: Annotated[Path, typer.Option(metavar="FILE.zip", help="The package.")],
    label: Annotated[Path | None, typer.Option(metavar="LABEL.json", help="What is known of the specimen.")] = None,
    mend: Annotated[list[Path] | None, typer.Option(metavar="FOLDER", help="A picture mended from this merge.")] = None,
    measures: Annotated[Path | None, typer.Option(metavar="MEASURES.json", help="What to measure on it.")] = None,
    progress: Annotated[bool, typer.Option("--progress", help="Report progress even into a pipe.")] = False,
) -> None:
    """Originals, results and record in one file that tells whether it is whole."""
    from amber_ladder.formats.label_json import LabelJson
    from amber_ladder.formats.measures_json import MeasuresJson
    from amber_ladder.work.on_disk.packaging import package_folder

    with plain_errors(), _reporting(progress) as report:
        told = package_folder(
            result, frames, out, _read(label, LabelJson) if label else LabelJson(), report, mends=mend or [],
            measures=_read(measures, MeasuresJson) if measures else None,
        )  # fmt: skip
    _print(told)


@app.command("verify")
def verify_command(
    package: Annotated[Path, typer.Argument(metavar="FILE.zip", help="The package.")],
    replay: Annotated[bool, typer.Option("--replay", help="Make all results again from the originals.")] = False,
    progress: Annotated[bool, typer.Option("--progress", help="Report progress even into a pipe.")] = False,
) -> None:
    """Whether a package is whole and unchanged; exit code 2 where it is not."""
    from amber_ladder.work.on_disk.verifying import verify

    with plain_errors(), _reporting(progress) as report:
        told = verify(package, report, replay=replay)
    _print(told)
    if not told["ok"]:
        raise typer.Exit(2)


@app.command("scale")
def scale_command(
    picture: Annotated[Path, typer.Argument(metavar="PICTURE", help="A ruled slide, ruler or grid.")],
    spacing_um: Annotated[float, typer.Option(help="True distance of neighbouring lines.")],
    tolerance_percent: Annotated[
        float | None, typer.Option(min=0, max=20, help="How true the ruling is; 0.1 is assumed where nobody says.")
    ] = None,
) -> None:
    """The scale from a picture of a ruling: µm per pixel, its uncertainty, and what was found."""
    from amber_ladder.work.on_disk.calibrating import ruling_in, scale_json

    with plain_errors():
        _print(scale_json(ruling_in(picture), spacing_um, tolerance_percent))


@app.command("ramp")
def ramp_command(
    folder: Annotated[Path, typer.Argument(metavar="FOLDER", help="A series of a flat, textured ramp.")],
    slope_deg: Annotated[float, typer.Option(help="How steeply the ramp falls away from the focal plane.")],
    um_per_px: Annotated[float, typer.Option(help="Scale of the frame that is sharp in its middle.")],
    slope_tolerance_deg: Annotated[
        float | None, typer.Option(min=0, max=20, help="How true the slope is; 0.5 is assumed where nobody says.")
    ] = None,
    progress: Annotated[bool, typer.Option("--progress", help="Report progress even into a pipe.")] = False,
) -> None:
    """Focus travel per frame from a series shot of a ramp of known slope."""
    from amber_ladder.work.on_disk.calibrating import ramp_in, ramp_json

    with plain_errors(), _reporting(progress) as report:
        ramp, frames = ramp_in(folder, slope_deg=slope_deg, um_per_px=um_per_px, progress=report)
    _print(ramp_json(ramp, frames.names, slope_deg=slope_deg, slope_tolerance_deg=slope_tolerance_deg))


@app.command("specimens")
def specimens_command() -> None:
    """The simulated specimens."""
    from amber_ladder.work.practice.choices import scenes

    _print(
        [
            {
                "specimen": s.key,
                "name": s.name,
                "kind": s.kind,
                "width_um": s.width_um,
                "depth_um": s.depth_um,
            }
            for s in scenes()
        ]
    )


@app.command("render")
def render_command(
    specimen: Annotated[str, typer.Argument(metavar="SPECIMEN", help="A name from `./ladder specimens`.")],
    plan: Annotated[Path, typer.Option(metavar="PLAN.json", help="Rig and ladder.")],
    out: Annotated[Path, typer.Option(help="A new folder for the frames.")],
    seed: Annotated[int, typer.Option(min=0, help="Another seed is another individual.")] = 0,
    flaw: Annotated[list[str] | None, typer.Option(help="A fault; a wrong name lists them all.")] = None,
    raw: Annotated[bool, typer.Option("--raw", help="Camera raw (DNG) instead of JPEG.")] = False,
    truth: Annotated[bool, typer.Option("--truth", help="Also the sharp picture and the true depth.")] = False,
    progress: Annotated[bool, typer.Option("--progress", help="Report progress even into a pipe.")] = False,
) -> None:
    """Shoot a simulated specimen on the simulated bench."""
    # Here: the other commands start without all that shooting needs.
    from amber_ladder.work.practice.render import render

    with plain_errors(), _reporting(progress) as report:
        entry = _read(plan, PlanJson)
        result = render(specimen, entry, out, report, seed=seed, flaws=flaw or (), with_truth=truth, raw=raw)
    _print({"frames": len(result["frames"]), "out": str(out)})


@app.command("rail-simulator")
def rail_simulator_command(
    port: Annotated[int, typer.Option(min=0, max=65535, help="Port on 127.0.0.1; 0 takes a free one.")],
    click_um: Annotated[float, typer.Option(min=0.01, help="Smallest move.")] = USUAL.click_um,
    travel_mm: Annotated[float, typer.Option(min=0.1, help="Length of the rail.")] = USUAL.max_um / 1e3,
    backlash_um: Annotated[float, typer.Option(min=0, help="Play of the screw.")] = USUAL.backlash_um,
    shake_um: Annotated[float, typer.Option(min=0, help="Sideways swing after a long move.")] = USUAL.shake_um,
    stage: Annotated[bool, typer.Option("--stage", help="Two more axes, Y and Z, that move a stage.")] = False,
) -> None:
    """Serve the simulated rail on loopback: lines of G-code, each answered by ok or error."""
    with plain_errors():
        serve_rail(
            port, click_um=click_um, travel_mm=travel_mm, backlash_um=backlash_um, shake_um=shake_um, stage=stage
        )


@contextmanager
def plain_errors() -> Iterator[None]:
    """Bad input is one line and exit 2; a full disk or a fault of ours is one line and exit 1."""
    try:
        yield
    except BadInput as error:
        raise _exit(str(error), 2) from error
    except AmberLadderError as error:
        raise _exit(str(error), 1) from error
    except KeyboardInterrupt as error:
        raise _exit("stopped: nothing was written", 1) from error


def _exit(message: str, code: int) -> typer.Exit:
    print(f"ladder: {' '.join(message.split())}", file=sys.stderr)
    return typer.Exit(code)


def _read(path: Path, model: type[Model]) -> Model:
    try:
        return model.model_validate_json(path.read_bytes())
    except OSError as error:
        raise BadInput(f"{path}: {error.strerror}: name a JSON file") from error
    except ValidationError as error:
        raise BadInput(f"{path}: {refusal(error, whole='the file')}") from error


def _print(content: Any) -> None:
    print(json.dumps(content, indent=2, ensure_ascii=False))


@contextmanager
def _reporting(asked: bool) -> Iterator[Report]:
    console = Console(stderr=True)
    if not console.is_terminal:
        yield _in_lines() if asked else no_progress
        return
    columns = (TextColumn("{task.description}"), BarColumn(), TaskProgressColumn(), TimeRemainingColumn())
    with Progress(*columns, console=console) as bars:
        yield _follow(bars)


def _in_lines() -> Report:
    """Progress for whoever reads the pipe: a line when a phase begins, every second or so, and when it ends."""
    told: dict[str, float] = {}

    def report(phase: str, done: int, total: int) -> None:
        if phase not in told or done >= total or time.monotonic() - told[phase] > _EVERY_S:
            told[phase] = time.monotonic()
            print(f"{_PHASES[phase]}: {done} of {total}", file=sys.stderr, flush=True)

    return report


def _follow(bars: Progress) -> Callable[[str, int, int], None]:
    tasks: dict[str, Any] = {}

    def report(phase: str, done: int, total: int) -> None:
        if phase not in tasks:
            tasks[phase] = bars.add_task(_PHASES[phase], total=total)
        bars.update(tasks[phase], completed=done)

    return report
