"""Packages of other stations: gone through, tried, and brought in whole, or not at all."""

import os
import re
import shutil
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from dataclasses import asdict, dataclass
from datetime import timedelta
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import StringConstraints, ValidationError

from amber_ladder.core.frames import Progress
from amber_ladder.errors import BadInput, Conflict, NotFound
from amber_ladder.formats.bags import Bag
from amber_ladder.formats.files import folder_in_one_piece
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.record_json import RecordJson
from amber_ladder.formats.rig_json import RigJson, Strict
from amber_ladder.formats.validated import refusal
from amber_ladder.settings import settings
from amber_ladder.store import carried, deliveries, rigs, specimens, stacks, tasks
from amber_ladder.store.base import now
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.delivery_models import Delivery
from amber_ladder.store.frame_store import FrameStore, sha256_of
from amber_ladder.store.models import Rig, Specimen, Stack, Task
from amber_ladder.store.queue import enqueue
from amber_ladder.work.cabinet.specimens import SpecimenEntry
from amber_ladder.work.journal import received
from amber_ladder.work.long_work import Finish, LongWork
from amber_ladder.work.on_disk.packaging import ORIGINALS, RECORD, RESULTS
from amber_ladder.work.on_disk.verifying import verify
from amber_ladder.work.stack.views import StackView, TaskView, stack_view, task_view

_CHUNK = 1 << 20
_FILE = re.compile(r"[A-Za-z0-9][A-Za-z0-9_.-]*")
_KEPT = timedelta(days=7)
_THERE = "this stack is here already: its history begins with the same entry"
TRIED, BROUGHT = "try package", "bring package"
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
    """What a package would bring; nothing is changed yet.

    ``originals_there`` are here already. ``rig_there`` says whether a rig of that name is the same. ``stack_there`` is
    this very stack, which is here already. With ``faults`` it cannot be brought in.
    """

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


@dataclass(frozen=True, slots=True)
class DeliveryView:
    """A package that was received, and the work on it: ``told`` once it was gone through, then the stack it became."""

    key: str
    task: TaskView
    told: PackageTried | None
    stack_id: int | None


def receive_package(content: Iterable[bytes]) -> DeliveryView:
    """Keep a package, and queue the going through all of it. Raises BadInput for what is no package of a station."""
    remove_deliveries()
    store = FrameStore(settings().data)
    arrived = store.receive(content)
    try:
        with _opened(arrived.path):
            pass
        key = arrived.path.name
        _folder().mkdir(exist_ok=True)
        arrived.path.replace(_place(key))
    except BaseException as error:
        store.drop(arrived)
        if isinstance(error, BadInput):  # whoever sent it knows nothing of where it lies here
            raise BadInput(str(error).replace(str(arrived.path), "this file"), field="package") from error
        raise
    with transaction() as session:
        delivery = Delivery(key=key, sha256=arrived.sha256, task=Task(kind=TRIED))
        session.add(delivery)
        session.flush()
        tasks.announce(session, delivery.task)
        view = _view(delivery)
    enqueue(view.task.id)
    return view


def read_delivery(key: str) -> DeliveryView:
    """A package that was received, and how far it is. Raises NotFound."""
    with transaction() as session:
        return _view(deliveries.get(session, key))


def bring_package(key: str, entry: BringEntry) -> DeliveryView:
    """Queue the bringing in of a package that was gone through. Raises NotFound, Conflict, BadInput."""
    with transaction() as session:
        delivery = deliveries.get(session, key, locked=True)
        if delivery.task.state not in tasks.ENDED:
            raise Conflict("this package is being worked on: wait for it, or stop it first")
        if delivery.stack_id is not None:
            raise Conflict("this package was brought in already")
        if delivery.told is None:
            raise Conflict("this package was not gone through to its end: choose its file again")
        if delivery.told["faults"]:
            raise BadInput(f"this package does not hold: {delivery.told['faults'][0]}", field="package")
        if delivery.told["stack_there"] is not None:
            raise Conflict(_THERE)
        _joined(session, entry.catalogue_number or delivery.told["catalogue_number"], entry)
        delivery.entry, delivery.task = entry.model_dump(), Task(kind=BROUGHT)
        session.flush()
        tasks.announce(session, delivery.task)
        view = _view(delivery)
    enqueue(view.task.id)
    return view


def remove_deliveries() -> None:
    """Remove packages that were brought in, and those that nobody brought in for a week."""
    with transaction() as session:
        for delivery in deliveries.done_with(session, now() - _KEPT):
            if delivery.task.state in tasks.ENDED:
                _place(delivery.key).unlink(missing_ok=True)
                shutil.rmtree(_unpacked(delivery.key), ignore_errors=True)
                session.delete(delivery)
        kept = {one.key for one in deliveries.everything(session)}
    # What was received when the server was killed has no row, and nobody knows of it.
    for path in _folder().glob("*"):
        if path.name not in kept and path.is_file() and path.stat().st_mtime < (now() - _KEPT).timestamp():
            path.unlink(missing_ok=True)


def _view(delivery: Delivery) -> DeliveryView:
    told = delivery.told and PackageTried(**{**delivery.told, "specimen_there": _there_view(delivery.told)})
    return DeliveryView(delivery.key, task_view(delivery.task), told or None, delivery.stack_id)


def _there_view(told: dict[str, Any]) -> ThereView | None:
    return ThereView(**told["specimen_there"]) if told["specimen_there"] else None


def _folder() -> Path:
    return settings().data / "packages-in"


def _place(key: str) -> Path:
    return _folder() / key


def _found(key: str) -> Path:
    path = _place(key)
    if not path.is_file():
        raise NotFound(deliveries.GONE)
    return path


def _unpacked(key: str) -> Path:
    return _folder() / f"{key}.out"


def _go_through(task_id: int, progress: Progress) -> Finish:
    with transaction() as session:
        key = deliveries.of_task(session, stacks.get_task(session, task_id)).key
    told = asdict(_tried(_found(key), progress))

    def keep(session: Session) -> None:
        deliveries.get(session, key, locked=True).told = told

    return keep


def _bring(task_id: int, progress: Progress) -> Finish:
    with transaction() as session:
        delivery = deliveries.of_task(session, stacks.get_task(session, task_id))
        key, package, entry = delivery.key, delivery.sha256, BringEntry.model_validate(delivery.entry)
    path, store = _found(key), FrameStore(settings().data)
    if sha256_of(path) != package:
        raise BadInput("this package has changed since it was gone through: choose its file again", field="package")
    with _opened(path) as (bag, _, rows):
        frames, products = rows["frames"], [one for one in rows["products"] if one["files"]]
        total = len(frames) + len(products)
        for done, frame in enumerate(frames):
            progress("bring", done, total)
            _adopt(store, bag, frame)
        for done, product in enumerate(products):
            progress("bring", len(frames) + done, total)
            _unpack(bag, product, _unpacked(key), f"{product['kind']}-{product['number']}")
        progress("bring", total, total)

    def keep(session: Session) -> None:
        made: list[Path] = []
        try:
            with _opened(path) as (_, record, rows):
                if _stack_there(session, record):
                    raise Conflict(_THERE)
                specimen, rig = _specimen(session, rows, entry), _rig(session, rows)
                down = carried.set_down(session, rows, record.history, specimen, rig)
                for product in down.products.values():
                    if product.files:
                        made.append(store.product_folder(product.id))
                        # Linked, not moved: where the database wants all of this once more, it is still there.
                        there = _unpacked(key) / f"{product.kind}-{product.number}"
                        shutil.copytree(there, made[-1], copy_function=os.link)
                _readable(down.stack)
                words = f"{specimen.catalogue_number}: stack {down.stack.number} brought in from a package"
                facts = {"package": package, "made_with": record.made_with, "label": record.label.model_dump()}
                received(session, words, down.stack, facts)
                deliveries.get(session, key, locked=True).stack_id = down.stack.id
        except BaseException:
            for folder in made:
                shutil.rmtree(folder, ignore_errors=True)
            raise

    return keep


def _tried(path: Path, progress: Progress) -> PackageTried:
    found = verify(path, progress)
    faults = [f"{one['path']}: {one['reason']}" for one in found["faults"]]
    with _opened(path) as (_, record, rows), transaction() as session:
        told = SpecimenEntry.model_validate(_label(rows["specimen"]))
        there = specimens.of_number(session, told.catalogue_number)
        rig_name = str(rows["rig"]["name"])
        rig = rigs.of_name(session, rig_name)
        stack = _stack_there(session, record)
        store, frames = FrameStore(settings().data), rows["frames"]
        kinds = [one["kind"] for one in rows["products"]]
        return PackageTried(
            record.made_with, told.catalogue_number, told.name, rig_name,
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


def _stack_there(session: Session, record: RecordJson) -> Stack | None:
    kept = record.history[0].get("sha256") if record.history else None
    return carried.stack_of_history(session, str(kept))


def _label(told: dict[str, Any]) -> dict[str, Any]:
    return {name: told[name] for name in SpecimenEntry.model_fields if name in told}


def _there(specimen: Specimen, told: SpecimenEntry) -> ThereView:
    differs = [name for name, value in told.model_dump().items() if getattr(specimen, name) != value]
    return ThereView(specimen.name, differs)


def _specimen(session: Session, rows: dict[str, Any], entry: BringEntry) -> Specimen:
    told = SpecimenEntry.model_validate(_label(rows["specimen"]))
    number = entry.catalogue_number or told.catalogue_number
    if there := _joined(session, number, entry):
        return there
    specimen = Specimen(**{**told.model_dump(), "catalogue_number": number})
    specimens.save(session, specimen)
    return specimen


def _joined(session: Session, number: str, entry: BringEntry) -> Specimen | None:
    """The specimen to which the stack is added, None for a new one. Raises Conflict."""
    there = specimens.of_number(session, number)
    if there is not None and not entry.join:
        raise Conflict(f"{number} is here already: add the stack to it, or give its specimen another number")
    if there is None and entry.join:
        raise Conflict(f"there is no specimen {number} any more to which the stack could be added")
    return there


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


def _unpack(bag: Bag, product: dict[str, Any], place: Path, folder: str) -> None:
    for name in (folder, *product["files"]):
        if not _FILE.fullmatch(str(name)):
            raise BadInput(f"{name!r} in this package cannot be the name of a result", field="package")
    with folder_in_one_piece(place / folder) as scratch:
        for name in product["files"]:
            with bag.open(f"{RESULTS}/{folder}/{name}") as file, (scratch / name).open("wb") as out:
                shutil.copyfileobj(file, out, _CHUNK)


def _readable(stack: Stack) -> StackView:
    """The stack as all pages show it. Raises BadInput where what came cannot be."""
    try:
        RigJson.model_validate(stack.rig), LadderRequestJson.model_validate(stack.plan)
        return stack_view(stack)
    except (ValidationError, LookupError, TypeError, ValueError) as error:
        raise BadInput("the record of this package tells of a stack that cannot be shown", field="package") from error


GOING_THROUGH = LongWork(TRIED, {"check": (0.0, 1.0)}, by_worker=_go_through)
BRINGING = LongWork(BROUGHT, {"bring": (0.0, 1.0)}, by_worker=_bring)
