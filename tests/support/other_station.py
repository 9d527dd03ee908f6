"""``python -m tests.support.other_station PACKAGE OUT``: an empty station that brings a package in and packs it again.

Prints as JSON what it told of the package before, how the mend that came goes on, and what is left after an undo.
"""

import json
import shutil
import sys
from dataclasses import asdict
from pathlib import Path
from typing import Any

from amber_ladder.store.database import transaction
from amber_ladder.store.models import Product, Stack
from amber_ladder.work import deeds, mend, record, tasks
from tests.support.packages import brought, received
from tests.support.station import database


def main(package: Path, out: Path) -> dict[str, Any]:
    """Bring in, pack again into ``out``, undo."""
    database()
    delivery = received(package)
    assert delivery.told is not None
    tried, stack = delivery.told, brought(delivery.key)
    (take,) = stack.takes
    counted = next(one for one in take.merges if one.counts)
    begun = record.begin_package(counted.id)
    tasks.run(begun.task.id)
    shutil.copy(record.package_file(begun.id)[0], out)
    with transaction() as session:
        written = session.query(Product).filter_by(take_id=take.id, kind="mend").one()
        mend_id = written.settings["mend_id"]
    painted_from = next(one.step for one in mend.read(mend_id).steps)["merge"]
    deed = deeds.last_deed()
    assert deed is not None
    deeds.undo(deed.id)
    with transaction() as session:
        left = session.query(Stack).count()
    others = [str(one.id) for one in take.merges if not one.counts]
    return {"tried": asdict(tried), "painted_from": painted_from, "others": others, "words": deed.words, "left": left}


if __name__ == "__main__":
    print(json.dumps(main(Path(sys.argv[1]), Path(sys.argv[2]))))
