"""Packages of other stations: gone through, tried, and brought in whole, or not at all."""

import re
import shutil
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import StringConstraints, ValidationError

from amber_ladder.core.frames import no_progress
from amber_ladder.errors import BadInput, Conflict, NotFound
from amber_ladder.formats.bags import Bag
from amber_ladder.formats.files import folder_in_one_piece
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.record_json import RecordJson
from amber_ladder.formats.rig_json import RigJson, Strict
from amber_ladder.formats.validated import refusal
from amber_ladder.settings import settings
from amber_ladder.store import rigs, specimens
from amber_ladder.store.carried import set_down, stack_of_history
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.frame_store import FrameStore, sha256_of
from amber_ladder.store.models import Product, Rig, Specimen, Stack
from amber_ladder.work.cabinet.specimens import SpecimenEntry
from amber_ladder.work.journal import received
from amber_ladder.work.on_disk.packaging import ORIGINALS, RECORD, RESULTS
from amber_ladder.work.on_disk.verifying import verify
from amber_ladder.work.pictures import prepare_tiles
from amber_ladder.work.stack.views import StackView, stack_view

_CHUNK = 1 << 20
_FILE = re.compile(r"[A-Za-z0-9][A-Za-z0-9_.-]*")
_KEY = re.compile(r"[0-9a-f]{32}")
_KEEPS_NONE = "it was packed by the command line, which knows no rig and no plan: bring its originals in as a card"


class BringEntry(Strict):
    """How a package is brought in.

    ``catalogue_number`` is another number for its specimen; with ``join`` the stack is added to the specimen of that
    number that is here already, whose label stays as it is.
    """

    catalogue_number: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)] | None = (
        None
    )
    join: bool = False


@dataclass(frozen=True, slots=True)
class ThereView:
    """The specimen that has the same number here, and the entries in which its label differs."""

    name: str
    differs: list[str]


@dataclass(frozen=True, slots=True)
class PackageTried:
    """What a package would bring; nothing is changed yet. ``key`` names it when it is brought in.

    ``originals_there`` are here already. ``rig_there`` says whether a rig of that name is the same. ``stack_there`` is
    this very stack, which is here already. With ``faults`` it cannot be brought in.
    """

    key: str
    made_with: str
    catalogue_number: str
    name: str
    rig_name: str
    rig_there: Literal["same", "another"] | None
    originals: int
    originals_there: int
    bytes: int
    merges: int
    mends: int
    measures: int
    entries: int
    specimen_there: ThereView | None
    stack_there: int | None
    faults: list[str]


def try_package(content: Iterable[bytes]) -> PackageTried:
    """Keep what comes for a while, and go through all of it. Raises BadInput for what is no package of a station."""
    store = FrameStore(settings().data)
    arrived = store.receive(content)
    try:
        return _tried(arrived.path)
    except BaseException as error:
        store.drop(arrived)
        if isinstance(error, BadInput):  # whoever sent it knows nothing of where it lies here
            raise BadInput(str(error).replace(str(arrived.path), "this file"), field="package") from error
        raise


def bring_package(key: str, entry: BringEntry) -> StackView:
    """Bring a package in that was tried. Raises NotFound, Conflict, BadInput, StorageFull."""
    path = settings().data / "arriving" / key
    if not _KEY.fullmatch(key) or not path.is_file():
        raise NotFound("this package is not here any more: choose its file again")
    tried = _tried(path)
    if tried.faults:
        raise BadInput(f"this package does not hold: {tried.faults[0]}", field="package")
    if tried.stack_there is not None:
        raise Conflict("this stack is here already: its history begins with the same entry")
    store, package = FrameStore(settings().data), sha256_of(path)
    with _opened(path) as (bag, record, rows):
        for frame in rows["frames"]:
            _adopt(store, bag, frame)
        made: list[Path] = []
        try:
            with transaction() as session:
                specimen, rig = _specimen(session, rows, entry), _rig(session, rows)
                down = set_down(session, rows, record.history, specimen, rig)
                for product in down.products.values():
                    made.append(store.product_folder(product.id))
                    _unpack(bag, product, made[-1])
                view = _readable(down.stack)
                words = f"{specimen.catalogue_number}: stack {down.stack.number} brought in from a package"
                facts = {"package": package, "made_with": record.made_with, "label": record.label.model_dump()}
                received(session, words, down.stack, facts)
                merges = [one.id for one in down.products.values() if one.kind == "merge"]
        except BaseException:
            for folder in made:
                shutil.rmtree(folder, ignore_errors=True)
            raise
    path.unlink(missing_ok=True)
    for merge_id in merges:
        prepare_tiles(store, merge_id)
    return view


def _tried(path: Path) -> PackageTried:
    found = verify(path, no_progress)
    faults = [f"{one['path']}: {one['reason']}" for one in found["faults"]]
    with _opened(path) as (_, record, rows), transaction() as session:
        told = SpecimenEntry.model_validate(_label(rows["specimen"]))
        there = specimens.of_number(session, told.catalogue_number)
        rig_name = str(rows["rig"]["name"])
        rig = rigs.of_name(session, rig_name)
        kept = record.history[0].get("sha256") if record.history else None
        stack = stack_of_history(session, str(kept))
        store, frames = FrameStore(settings().data), rows["frames"]
        kinds = [one["kind"] for one in rows["products"]]
        return PackageTried(
            path.name, record.made_with, told.catalogue_number, told.name, rig_name,
            None if rig is None else "same" if _same_rig(rig, rows) else "another", len(frames),
            sum(store.place(one["sha256"], one["suffix"]).is_file() for one in frames), found["checked"]["bytes"],
            kinds.count("merge"), kinds.count("mend"), len(rows["measures"]), len(record.history),
            _there(there, told) if there else None, stack.id if stack else None, faults,
        )  # fmt: skip


@contextmanager
def _opened(path: Path) -> Iterator[tuple[Bag, RecordJson, dict[str, Any]]]:
    """A package with its record. Raises BadInput where it has none that a station can keep."""
    bag = Bag(path)
    try:
        record = RecordJson.model_validate_json(bag.read(RECORD))
        if record.rows is None:
            raise BadInput(f"this package cannot be brought in as a stack: {_KEEPS_NONE}", field="package")
        yield bag, record, record.rows
    except ValidationError as error:
        raise BadInput(f"the record of this package cannot be read: {refusal(error)}", field="package") from error
    except (KeyError, TypeError, AttributeError, IndexError) as error:
        raise BadInput(f"the record of this package lacks something: {error}", field="package") from error
    finally:
        bag.close()


def _label(told: dict[str, Any]) -> dict[str, Any]:
    return {name: told[name] for name in SpecimenEntry.model_fields if name in told}


def _there(specimen: Specimen, told: SpecimenEntry) -> ThereView:
    differs = [name for name, value in told.model_dump().items() if getattr(specimen, name) != value]
    return ThereView(specimen.name, differs)


def _specimen(session: Session, rows: dict[str, Any], entry: BringEntry) -> Specimen:
    told = SpecimenEntry.model_validate(_label(rows["specimen"]))
    number = entry.catalogue_number or told.catalogue_number
    there = specimens.of_number(session, number)
    if there is not None:
        if entry.join:
            return there
        raise Conflict(f"{number} is here already: add the stack to it, or give its specimen another number")
    if entry.join:
        raise Conflict(f"there is no specimen {number} any more to which the stack could be added")
    specimen = Specimen(**{**told.model_dump(), "catalogue_number": number})
    specimens.save(session, specimen)
    return specimen


def _same_rig(rig: Rig, rows: dict[str, Any]) -> bool:
    return bool(rig.definition == rows["rig"]["definition"] and rig.version == rows["rig"]["number"])


def _rig(session: Session, rows: dict[str, Any]) -> Rig:
    """The rig of that name where it is the same to the version, else a new one beside it."""
    told = rows["rig"]
    there = rigs.of_name(session, str(told["name"]))
    if there is not None and _same_rig(there, rows):
        return there
    name, place = str(told["name"]), 1
    while rigs.of_name(session, name) is not None:
        place += 1
        name = f"{told['name'][:100]}, from a package {place if place > 2 else ''}".strip()
    RigJson.model_validate(told["definition"])
    rig = Rig(name=name, definition=told["definition"], parts=told["parts"], version=int(told["number"]))
    rigs.save(session, rig)
    rigs.keep_version(session, rig)
    return rig


def _adopt(store: FrameStore, bag: Bag, frame: dict[str, Any]) -> None:
    name = str(frame["name"])
    with bag.open(f"{ORIGINALS}/{name}") as file:
        arrived = store.receive(iter(lambda: file.read(_CHUNK), b""))
    if arrived.sha256 != frame["sha256"] or not re.fullmatch(r"[.][a-z0-9]{2,4}", str(frame["suffix"])):
        store.drop(arrived)
        raise BadInput(f"{name} in this package is not the frame that its record tells of", field="package")
    store.adopt(arrived, frame["suffix"])


def _unpack(bag: Bag, product: Product, folder: Path) -> None:
    with folder_in_one_piece(folder) as scratch:
        for name in product.files or []:
            if not _FILE.fullmatch(name):
                raise BadInput(f"{name!r} in this package cannot be the name of a result", field="package")
            with (
                bag.open(f"{RESULTS}/{product.kind}-{product.number}/{name}") as file,
                (scratch / name).open("wb") as out,
            ):
                shutil.copyfileobj(file, out, _CHUNK)


def _readable(stack: Stack) -> StackView:
    """The stack as all pages show it. Raises BadInput where what came cannot be."""
    try:
        RigJson.model_validate(stack.rig), LadderRequestJson.model_validate(stack.plan)
        return stack_view(stack)
    except (ValidationError, LookupError, TypeError, ValueError) as error:
        raise BadInput("the record of this package tells of a stack that cannot be shown", field="package") from error
