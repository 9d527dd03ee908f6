"""``python -m amber_ladder.launch.openapi FILE``: the API's schema, from which the pages' types are made."""

import json
import sys
from pathlib import Path

from amber_ladder.api.app import create_app


def main(path: Path) -> None:
    """Write the schema, leaving the file alone when nothing changed."""
    text = json.dumps(create_app().openapi(), indent=1, ensure_ascii=False)
    if not path.exists() or path.read_text() != text:
        path.write_text(text)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
