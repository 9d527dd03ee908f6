"""A person's own frames, brought as files: stored untouched, put in order, and matched to the plan where they can."""

from collections.abc import Iterable, Sequence

from amber_ladder.core.sorting import usual_form, why_unlike
from amber_ladder.errors import Conflict
from amber_ladder.formats.apart import examine_apart
from amber_ladder.formats.files import plain_name
from amber_ladder.formats.pictures import SUFFIXES, natural_key
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Frame, Take
from amber_ladder.work.journal import did
from amber_ladder.work.stack.presses import SHOT_AGAIN, Presses, presses_of
from amber_ladder.work.stack.series import shots_of
from amber_ladder.work.stack.views import FrameView, TakeView, frame_view, stack_ladder, take_view


def begin_files(stack_id: int) -> TakeView:
    """Open a take for files; a bench that is shooting does not mind. Raises NotFound."""
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        take = Take(source="files")
        stacks.add_take(session, stack, take)
        did(session, f"take {take.number} of stack {stack.number} begun with own files", stack)
        return take_view(take)


def add_file(take_id: int, name: str, chunks: Iterable[bytes]) -> FrameView:
    """Store one of a person's own frames, untouched. Raises UnreadablePicture, Conflict, NotFound, StorageFull."""
    name = plain_name(name)
    with transaction() as session:
        _open_for_files(stacks.get_take(session, take_id))
    store = FrameStore(settings().data)
    received = store.receive(chunks)
    try:
        info = examine_apart(received.path, name)
        with transaction() as session:
            take = stacks.get_take(session, take_id)
            _open_for_files(take)
            frame = Frame(
                name=name,
                sha256=received.sha256,
                suffix=SUFFIXES[info.format],
                bytes=received.bytes,
                width_px=info.width_px,
                height_px=info.height_px,
                bits=info.bits,
                **stacks.camera_clock(info.captured_at),
            )
            kept = stacks.add_frame(session, take, frame)
            store.adopt(received, frame.suffix)
            return frame_view(kept)
    finally:
        store.drop(received)


def finish_take(take_id: int) -> TakeView:
    """Close a take of files: order them, and leave out those that differ from the rest. Raises Conflict, NotFound."""
    with transaction() as session:
        take = stacks.get_take(session, take_id, locked=True)
        _open_for_files(take)
        if len(take.frames) < 2:
            raise Conflict(
                f"this take holds {len(take.frames)} usable frame{'' if len(take.frames) == 1 else 's'}: "
                "at least 2 are needed. Add more files."
            )
        put_in_order(take, stack_ladder(take.stack)[0].positions_um, presses_of(take.stack))
        take.complete = True
        session.flush()
        session.expire(take)
        return take_view(take)


def put_in_order(take: Take, planned_um: Sequence[float] | None, presses: Presses | None = None) -> None:
    """Order a take's files by name, and leave out those that differ from the rest.

    They belong to the planned rungs only when there is one for each, or one for each press of the key where the rungs
    were called so; otherwise nobody knows which is which.
    """
    ordered = sorted(take.frames, key=lambda frame: natural_key(frame.name))
    shots = {shot.name: shot for shot in shots_of(take)}
    usual = usual_form(list(shots.values()))
    for place, frame in enumerate(ordered):
        frame.place = place
        frame.left_out = frame.left_out or why_unlike(shots[frame.name], usual)
    kept = [frame for frame in ordered if frame.left_out is None]
    if presses is not None:
        take.run = presses.told()
        if len(presses.pressed) == len(kept):
            for frame, press in zip(kept, presses.pressed, strict=True):
                frame.rung, frame.planned_um, frame.reported_um = press.rung, press.planned_um, press.reported_um
                frame.left_out = SHOT_AGAIN if press.again else None
        return
    positions = planned_um if planned_um is not None and len(planned_um) == len(kept) else None
    for rung, frame in enumerate(kept):
        frame.rung = rung if positions else None
        frame.planned_um = positions[rung] if positions else None


def _open_for_files(take: Take) -> None:
    if take.source != "files":
        raise Conflict("this take comes from the bench: begin a take of files for your own frames")
    if take.complete:
        raise Conflict("this take is closed: begin another for more frames")
