"""``python -m amber_ladder``: the command line."""

from amber_ladder.cli.app import app

if __name__ == "__main__":
    app()
