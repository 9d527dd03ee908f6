"""``./ladder doctor``: whether all that the database names lies on the disk, whole."""

import sys

from amber_ladder.launch.visiting import visiting


def doctor(*, mend: bool) -> int:
    """Say what is not as it should be, and with ``mend`` put right what can be; returns 1 where something remains."""
    with visiting(writes=True) as station:
        from amber_ladder.work.upkeep import examine

        def progress(done: int, total: int) -> None:
            if sys.stderr.isatty():
                print(f"\rchecking originals: {done} of {total}", end="" if done < total else "\n", file=sys.stderr)

        found = examine(mend=mend, alone=station.lock.held, progress=progress)
    for one in found:
        print(f"{one.what}: {one.do}")
    left = sum(not one.mended for one in found)
    print("All is sound." if not found else f"{len(found)} found, {len(found) - left} mended, {left} left.")
    return 1 if left else 0
