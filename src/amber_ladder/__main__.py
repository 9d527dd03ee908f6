"""``python -m amber_ladder``: the command line."""

import sys

if __name__ == "__main__":
    try:
        # Here: it takes a second or so, and whoever stops it meanwhile is told as at any other time.
        from amber_ladder.cli.app import app
    except KeyboardInterrupt:
        sys.exit("ladder: stopped: nothing was written")
    app()
