"""Packages of a stack's take for others: made by the worker, gone through at once, and kept to be fetched."""

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from amber_ladder import __version__
from amber_ladder.core.frames import Progress
from amber_ladder.errors import AmberLadderError, Conflict, NotFound
from amber_ladder.formats.bags import Packed
from amber_ladder.formats.files import folder_in_one_piece
from amber_ladder.formats.label_json import LabelJson
from amber_ladder.formats.measures_json import MeasureJson, MeasuresJson
from amber_ladder.settings import settings
from amber_ladder.store import history, stacks, tasks
from amber_ladder.store.carried import carried
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.frame_store import FrameStore, sha256_of
from amber_ladder.store.models import Product, Take, Task
from amber_ladder.store.queue import AT_STATION, enqueue
from amber_ladder.work.long_work import Finish, LongWork
from amber_ladder.work.measure.instruments import basis_of
from amber_ladder.work.on_disk.measuring import measure_folder
from amber_ladder.work.on_disk.packaging import Contents, Made, write_package
from amber_ladder.work.on_disk.verifying import verify
from amber_ladder.work.record.records import record
from amber_ladder.work.record.rights import rights_of
from amber_ladder.work.stack.naming import folder_name
from amber_ladder.work.stack.scale import scale_of_merge
from amber_ladder.work.stack.views import TaskView, task_view

KIND = "package"


@dataclass(frozen=True, slots=True)
class PackageView:
    """A package of a merge and its take: its file once it is made, with its checksum (SHA-256)."""

    id: int
    task: TaskView
    name: str | None
    bytes: int | None
    sha256: str | None
    files: int | None
    entries: int | None


def packages(merge_id: int) -> list[PackageView]:
    """All packages of a merge, the latest first. Raises NotFound."""
    with transaction() as session:
        merge = stacks.get_product(session, merge_id, "merge")
        return [_view(one) for one in reversed(merge.take.products) if one.kind == KIND and one.parent_id == merge_id]


def begin_package(merge_id: int) -> PackageView:
    """Queue a package of a merge. Raises NotFound, and Conflict where it has no result yet or one is being made."""
    with transaction() as session:
        merge = stacks.get_product(session, merge_id, "merge")
        take = stacks.get_take(session, merge.take_id, locked=True)
        if merge.report is None:
            raise Conflict("this merge is not finished: there is nothing to pack yet")
        if any(one.kind == KIND and one.parent_id == merge_id and one.task.state not in tasks.ENDED
               for one in take.products):  # fmt: skip
            raise Conflict("a package of this merge is being made already")
        task = Task(kind=KIND, stack_id=take.stack_id)
        product = Product(kind=KIND, parent_id=merge_id, settings={}, task=task)
        stacks.add_product(session, take, product)
        tasks.announce(session, task)
        view = _view(product)
    enqueue(view.task.id, where=AT_STATION)
    return view


def package_file(package_id: int) -> tuple[Path, str]:
    """A finished package, and the name to save it under. Raises NotFound."""
    with transaction() as session:
        product = stacks.get_product(session, package_id, KIND)
        if not product.files:
            raise NotFound("this package is not finished")
        return FrameStore(settings().data).product_folder(product.id) / product.files[0], product.files[0]


def _view(product: Product) -> PackageView:
    report = product.report or {}
    name = product.files[0] if product.files else None
    told = (report.get(one) for one in ("bytes", "sha256", "files", "entries"))
    return PackageView(product.id, task_view(product.task), name, *told)


def _pack(task_id: int, progress: Progress) -> Finish:
    store = FrameStore(settings().data)
    with transaction() as session:
        product = stacks.product_of(session, stacks.get_task(session, task_id))
        product_id, merge_id = product.id, product.parent_id
        assert merge_id is not None, "every package is one of a merge"
        merge = stacks.get_product(session, merge_id, "merge")
        stack_id, stem, before = merge.take.stack_id, folder_name(merge), _finished(merge.take)
        label = _label(session, merge.take)
        originals = [Packed(one.name, store.original(one.sha256, one.suffix), one.sha256) for one in merge.take.frames]
        made, asked = list(_made(store, before)), list(_asked(before))
        rows = carried(session, merge.take)
    told = record(merge_id)[0]
    measured = [{"of": name, "asked": one.model_dump(mode="json", exclude_none=True),
                 "told": measure_folder(folder, one)} for name, folder, one in asked]  # fmt: skip
    contents = Contents(stem, label, originals, made, measured, {"of": told, "history": told["history"], "rows": rows})
    name = f"{stem}.zip"
    with folder_in_one_piece(store.product_folder(product_id)) as folder:
        packed = write_package(contents, folder / name, progress)
        found = verify(folder / name, progress)
        if not found["ok"]:
            raise AmberLadderError(f"the package did not hold when it was read again: {found['faults'][0]['reason']}")
        report = {"sha256": sha256_of(folder / name), "entries": found["checked"]["entries"], **packed}

    def keep(session: Session) -> None:
        product = stacks.get_product(session, product_id, KIND)
        product.report, product.files, product.version = report, [name], __version__
        words = f"packed as {name}: {packed['files']} files"
        history.note(session, stack_id, "exported", words, {"file": name, **report})

    return keep


def _finished(take: Take) -> list[Product]:
    """Merges first: what was mended of one needs it."""
    return sorted(
        (one for one in take.products if one.kind in ("merge", "mend") and one.report and one.files),
        key=lambda one: (one.kind != "merge", one.number),
    )


def _name(product: Product) -> str:
    return f"{product.kind}-{product.number}"


def _made(store: FrameStore, finished: list[Product]) -> Iterator[Made]:
    by_id = {one.id: one for one in finished}
    others = {str(one.id): _name(one) for one in finished if one.kind == "merge"}
    for one in finished:
        told: dict[str, Any] = {"name": one.settings.get("name") or f"merge {one.number}", "version": one.version}
        if one.kind == "merge":
            told["development"] = one.sorting.development if one.sorting else None
        elif one.parent_id in by_id:
            told |= {"of": _name(by_id[one.parent_id]), "merges": one.settings.get("merge_names", others)}
        else:
            continue  # of a merge that was thrown away
        yield Made(one.kind, _name(one), store.product_folder(one.id), one.files or [], told)


def _asked(finished: list[Product]) -> Iterator[tuple[str, Path, MeasuresJson]]:
    """What is measured on each merge, as plain folders are measured: at the places that are drawn."""
    for merge in finished:
        mine = [one for one in merge.take.measures if one.merge_id == merge.id]
        if merge.kind != "merge" or not mine or scale_of_merge(merge) is None:
            continue
        basis = basis_of(merge)
        lines = [MeasureJson.model_validate({"name": one.name, "kind": one.kind, "points": one.picks[0]["points"],
                                             "points_b": one.picks[0].get("points_b")}) for one in mine]  # fmt: skip
        asked = {"scale": basis.scale, "medium": basis.medium, "focused_by": basis.focused_by,
                 "travel": basis.travel, "measures": lines}  # fmt: skip
        yield _name(merge), basis.folder, MeasuresJson.model_validate(asked)


def _label(session: Session, take: Take) -> LabelJson:
    specimen, rights = take.stack.specimen, rights_of(session, take.stack_id)
    written = {name: getattr(specimen, name) for name in LabelJson.model_fields if hasattr(specimen, name)}
    who = {"photographer": rights.photographer or (take.task.by if take.task else "") or "",
           "licence": rights.licence, "rights_holder": rights.rights_holder}  # fmt: skip
    return LabelJson.model_validate({**written, **who})


PACKING = LongWork(KIND, {"pack": (0.0, 0.6), "check": (0.6, 0.4)}, by_worker=_pack)
