"""What happened to each stack: noted while a transaction goes on, sealed at its end, each entry to the one before."""

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, cast

from sqlalchemy import event, inspect, select, text
from sqlalchemy.orm import Session
from sqlalchemy.orm.attributes import History

from amber_ladder import __version__
from amber_ladder.core.history import FIRST, sealed
from amber_ladder.settings import settings
from amber_ladder.store import deeds
from amber_ladder.store.base import PERSON, now
from amber_ladder.store.frame_store import FrameStore, sha256_of
from amber_ladder.store.history_models import HistoryEntry
from amber_ladder.store.ledger import mark_behind
from amber_ladder.store.models import Frame, Measure, Product, Specimen, Stack, Take, Task
from amber_ladder.store.stacks import EVER, ids_of_specimen

_NOTED = "history"
_ENDED, _NEW = "history_ended", "history_new"
_KEY = 7_340_230  # of the advisory locks, one for each stack; any fixed number
_CHANGED = "ledger_changed"
_IN_LEDGER = (Specimen, Stack, Take, Product, Measure)
_MADE = {"merge": "merged", "mend": "mended"}


@dataclass(frozen=True, slots=True)
class _Noted:
    """What an entry will say."""

    did: str
    words: str
    facts: dict[str, Any]
    by: str | None


def note(
    session: Session, stack_id: int, did: str, words: str, facts: Mapping[str, Any] | None = None, *, new: bool = False
) -> None:
    """Let the transaction write this down at its end. ``did`` is one of core.history.DID; ``new``: so is the stack."""
    if new:
        session.info.setdefault(_NEW, set()).add(stack_id)
    _noted(session).setdefault(stack_id, []).append(_Noted(did, words[:400], dict(facts or {}), PERSON.get()))


def of_stack(session: Session, stack_id: int) -> list[HistoryEntry]:
    """All that happened to a stack, earliest first."""
    query = select(HistoryEntry).where(HistoryEntry.stack_id == stack_id).order_by(HistoryEntry.number)
    return list(session.scalars(query))


def last(session: Session, stack_id: int) -> HistoryEntry | None:
    """The last entry of a stack, whatever it tells; None for one without a history."""
    query = select(HistoryEntry).where(HistoryEntry.stack_id == stack_id)
    return session.scalar(query.order_by(HistoryEntry.number.desc()).limit(1))


def latest(session: Session, stack_id: int, did: str) -> HistoryEntry | None:
    """The last entry of a stack that tells of such an act."""
    query = select(HistoryEntry).where(HistoryEntry.stack_id == stack_id, HistoryEntry.did == did)
    return session.scalar(query.order_by(HistoryEntry.number.desc()).limit(1))


def forget_what_ended(session: Session) -> None:
    """Write nothing down of what ended in this transaction: it ended elsewhere, and that is told already."""
    session.flush()
    session.info.pop(_ENDED, None)


def seal(session: Session) -> None:
    """Write down what was noted. The last act of a transaction: it waits for others that write to the same stacks."""
    session.flush()
    for row in session.info.pop(_ENDED, []):
        _note_made(session, row)
    new = session.info.pop(_NEW, set())
    mark_behind(session, sorted(_touched(session)))
    for stack_id, noted in sorted(session.info.pop(_NOTED, {}).items()):
        _append(session, stack_id, noted, new=stack_id in new)
    session.flush()


@event.listens_for(Session, "before_flush")
def _see_what_ended(session: Session, _context: object, _instances: object) -> None:
    """Takes that are complete by now, and products that are made: whoever made them, it is written down."""
    for row in (*session.new, *session.dirty):
        left_out = isinstance(row, Frame) and row in session.dirty
        if left_out or isinstance(row, _IN_LEDGER) or (isinstance(row, Task) and row.ended_at):
            session.info.setdefault(_CHANGED, []).append(row)
        column = "complete" if isinstance(row, Take) else "report" if isinstance(row, Product) else None
        if column is None or (isinstance(row, Product) and row.kind not in _MADE):
            continue
        changed = cast(History, inspect(row).attrs[column].history)
        if getattr(row, column) and changed.has_changes() and not any(changed.deleted or ()):
            session.info.setdefault(_ENDED, []).append(row)


def _touched(session: Session) -> set[int]:
    """The stacks that the transaction changed anything of."""
    found = set(session.info.get(_NOTED, {}))
    for row in session.info.pop(_CHANGED, []):
        match row:
            case Stack():
                found.add(row.id)
            case Take():
                found.add(row.stack_id)
            case Product() | Measure() | Frame():
                found.add(session.get_one(Take, row.take_id, execution_options=EVER).stack_id)
            case Task() if row.stack_id is not None:
                found.add(row.stack_id)
            case Specimen():
                found |= set(ids_of_specimen(session, row.id))
    return found


def _noted(session: Session) -> dict[int, list[_Noted]]:
    return cast(dict[int, list[_Noted]], session.info.setdefault(_NOTED, {}))


def _note_made(session: Session, row: Take | Product) -> None:
    # What was thrown away meanwhile has a history still.
    take = row if isinstance(row, Take) else session.get_one(Take, row.take_id, execution_options=EVER)
    stack = session.get_one(Stack, take.stack_id, execution_options=EVER)
    did, words, facts = _shot(session, stack, take) if isinstance(row, Take) else _made(session, take, row)
    by = PERSON.get() or (row.task.by if row.task else None)
    _noted(session).setdefault(stack.id, []).append(_Noted(did, words[:400], facts, by))


def _shot(session: Session, stack: Stack, take: Take) -> tuple[str, str, dict[str, Any]]:
    frames = session.scalars(select(Frame).where(Frame.take_id == take.id).order_by(Frame.place)).all()
    facts = {
        "take": take.number, "source": take.source, "scene": take.scene, "devices": take.devices,
        "cautions_read": stack.cautions_read,
        "frames": [
            {"name": one.name, "sha256": one.sha256, "rung": one.rung, "planned_um": one.planned_um,
             "reported_um": one.reported_um, "left_out": one.left_out}
            for one in frames
        ],
    }  # fmt: skip
    return "shot", f"take {take.number} complete: {len(frames)} frames", facts


def _made(session: Session, take: Take, product: Product) -> tuple[str, str, dict[str, Any]]:
    folder = FrameStore(settings().data).product_folder(product.id)
    report = product.report or {}
    facts = {
        "take": take.number, "number": product.number, "settings": product.settings,
        "version": product.version, "files": _sums(folder, product.files or []),
    }  # fmt: skip
    if product.kind == "merge":
        used, left = len(report.get("frames_used", [])), report.get("excluded", [])
        words = (
            f"merge {product.number}: {len(report['registration'])} tiles laid together"
            if report.get("laid")
            else f"merge {product.number} of take {take.number} ({report.get('method')}): {used} frames"
        )
        facts |= {"frames_used": used, "excluded": left, "findings": len(report.get("findings", []))}
        return "merged", words, facts
    merge = session.get(Product, product.parent_id)
    share = sum(report.get("changed", {}).values())
    words = f"{product.settings.get('name', 'mend')} of take {take.number} written: {share:.2%} of the picture changed"
    facts |= {"merge": merge.number if merge else None, "changed": report.get("changed"),
              "not_evidence": report.get("not_evidence")}  # fmt: skip
    return "mended", words, facts


def _sums(folder: Path, files: list[str]) -> dict[str, str | None]:
    return {name: sha256_of(folder / name) for name in files}


def _append(session: Session, stack_id: int, noted: list[_Noted], *, new: bool) -> None:
    session.execute(text("select pg_advisory_xact_lock(:key, :stack)"), {"key": _KEY, "stack": stack_id})
    query = select(HistoryEntry).where(HistoryEntry.stack_id == stack_id).order_by(HistoryEntry.number.desc()).limit(1)
    last = session.scalar(query)
    number, before = (last.number, last.sha256) if last else (0, FIRST)
    if last is None and not new:
        noted = [_opening(session, stack_id), *noted]
    for one in noted:
        number += 1
        entry = HistoryEntry(
            stack_id=stack_id, number=number, at=now(), by=one.by, did=one.did, words=one.words, facts=one.facts,
            version=__version__, before=before, sha256="",
        )  # fmt: skip
        entry.sha256 = before = sealed(entry.as_json(), before)
        session.add(entry)


def _opening(session: Session, stack_id: int) -> _Noted:
    """What is known of a stack that was there before histories were kept: what people did to its specimen."""
    specimen_id = session.scalars(select(Stack.specimen_id).where(Stack.id == stack_id), execution_options=EVER).one()
    earlier = [
        {"at": one.at.isoformat(timespec="seconds"), "by": one.by, "did": one.words,
         "undone_at": one.undone_at.isoformat(timespec="seconds") if one.undone_at else None}
        for one in deeds.of_specimen(session, specimen_id)
    ]  # fmt: skip
    words = "history opened: this stack was there before histories were kept"
    return _Noted("opened", words, {"earlier": earlier}, None)
