"""``./ladder demo | start | test | shots | benchmark | soak``, once everything is installed."""

import argparse
import sys

from amber_ladder.errors import AmberLadderError


def main() -> int:
    """Run one of the launcher's commands and return its exit code."""
    parser = argparse.ArgumentParser(prog="ladder")
    commands = parser.add_subparsers(dest="command", required=True)
    for name in ("demo", "start"):
        serving = commands.add_parser(name)
        serving.add_argument("--port", type=int, default=8080)
    for name in ("test", "benchmark"):
        commands.add_parser(name).add_argument("names", nargs="*")
    commands.add_parser("shots")
    soaking = commands.add_parser("soak")
    soaking.add_argument("--runs", default="30")
    soaking.add_argument("--seed", default="1")
    chosen = parser.parse_args()
    try:
        match chosen.command:
            case "demo" | "start":
                from amber_ladder.launch.serve import serve

                return serve(port=chosen.port, demo=chosen.command == "demo")
            case "test":
                from amber_ladder.launch.checks import check

                return check(chosen.names)
            case "shots":
                from amber_ladder.launch.checks import run_script

                return run_script("tests.browser.shots")
            case "soak":
                from amber_ladder.launch.checks import run_script

                return run_script("tests.soak", "--runs", chosen.runs, "--seed", chosen.seed)
            case _:
                from amber_ladder.launch.checks import run_script

                return run_script("benchmarks", *chosen.names)
    except AmberLadderError as error:
        print(f"ladder: {error}", file=sys.stderr)
        return 1


if __name__ == "__main__":
    sys.exit(main())
