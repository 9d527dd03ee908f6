"""The shelf of rigs."""

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from amber_ladder.errors import Conflict, NotFound
from amber_ladder.store.base import CHANGING
from amber_ladder.store.models import Calibration, Part, Rig, RigVersion, Task


def everything(session: Session) -> list[Rig]:
    """All rigs by name."""
    return list(session.scalars(select(Rig).order_by(Rig.name)))


def get(session: Session, rig_id: int, *, locked: bool = False) -> Rig:
    """One rig; ``locked`` keeps others from changing it until the transaction ends. Raises NotFound."""
    rig = session.get(Rig, rig_id, with_for_update=CHANGING if locked else None)
    if rig is None:
        raise NotFound(f"there is no rig {rig_id}")
    return rig


def of_name(session: Session, name: str) -> Rig | None:
    """The rig of this name, if it is here."""
    return session.scalar(select(Rig).where(Rig.name == name))


def save(session: Session, rig: Rig) -> None:
    """Write a new or changed rig. Raises Conflict when its name is taken."""
    session.add(rig)
    name = rig.name  # after a failed flush nothing of the row can be read any more
    try:
        session.flush()
    except IntegrityError as error:
        raise Conflict(f"a rig is called {name} already: choose another name") from error


def keep_version(session: Session, rig: Rig) -> None:
    """Note the rig as it is now under its present version number."""
    session.add(
        RigVersion(rig_id=rig.id, number=rig.version, name=rig.name, definition=rig.definition, parts=rig.parts)
    )
    session.flush()


def version_of(session: Session, rig_id: int, number: int) -> RigVersion | None:
    """A rig as it was under a version number."""
    return session.scalar(select(RigVersion).where(RigVersion.rig_id == rig_id, RigVersion.number == number))


def on_bench(session: Session) -> Rig | None:
    """The rig that stands on the bench, if any was ever put there."""
    return session.scalar(select(Rig).where(Rig.on_bench_at.is_not(None)).order_by(Rig.on_bench_at.desc()).limit(1))


def parts(session: Session) -> list[Part]:
    """The parts shelf, by kind and name."""
    return list(session.scalars(select(Part).order_by(Part.kind, Part.name)))


def get_part(session: Session, part_id: int, *, locked: bool = False) -> Part:
    """One part. Raises NotFound."""
    part = session.get(Part, part_id, with_for_update=CHANGING if locked else None)
    if part is None:
        raise NotFound(f"there is no part {part_id}")
    return part


def save_part(session: Session, part: Part) -> None:
    """Write a new or changed part. Raises Conflict when its name is taken."""
    session.add(part)
    kind, name = part.kind, part.name
    try:
        session.flush()
    except IntegrityError as error:
        raise Conflict(f"a {kind} is called {name} already: choose another name") from error


def get_calibration(session: Session, calibration_id: int, *, locked: bool = False) -> Calibration:
    """One calibration; ``locked`` keeps others from changing it until the transaction ends. Raises NotFound."""
    query = select(Calibration).where(Calibration.id == calibration_id)
    calibration = session.scalar(query.with_for_update(**CHANGING) if locked else query)
    if calibration is None:
        raise NotFound(f"there is no calibration {calibration_id}")
    return calibration


def calibration_of(session: Session, task: Task) -> Calibration:
    """The calibration that a measuring task is for."""
    return session.scalars(select(Calibration).where(Calibration.task_id == task.id)).one()
