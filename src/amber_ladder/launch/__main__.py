"""The launcher's commands, once everything is installed."""

import argparse
import sys
from argparse import Namespace
from pathlib import Path

from amber_ladder.errors import AmberLadderError, storage_trouble

# Each imports what it needs itself: a start must not wait for what only the tests want.


def _serve(chosen: Namespace) -> int:
    from amber_ladder.launch.reach import Reach
    from amber_ladder.launch.serve import serve

    names = tuple(name.lower() for name in chosen.name)
    reach = Reach(chosen.listen, names, chosen.certificate, chosen.key, chosen.behind_proxy)
    return serve(port=chosen.port, demo=chosen.command == "demo", reach=reach)


def _account(chosen: Namespace) -> int:
    from amber_ladder.launch.people import account

    return account(chosen.action, chosen.name)


def _backup(chosen: Namespace) -> int:
    from amber_ladder.launch.backup import back_up

    return back_up(chosen.folder)


def _restore(chosen: Namespace) -> int:
    from amber_ladder.launch.backup import restore

    return restore(chosen.folder, chosen.made)


def _doctor(chosen: Namespace) -> int:
    from amber_ladder.launch.upkeep import doctor

    return doctor(mend=chosen.mend)


def _report(chosen: Namespace) -> int:
    from amber_ladder.launch.report import report

    return report(chosen.file)


def _worker(chosen: Namespace) -> int:
    from amber_ladder.launch.elsewhere import work_elsewhere

    return work_elsewhere(chosen.name, chosen.keep)


def _invite(_chosen: Namespace) -> int:
    from amber_ladder.launch.elsewhere import invite

    return invite()


def _test(chosen: Namespace) -> int:
    from amber_ladder.launch.checks import check

    return check(chosen.names)


def _script(module: str, *options: str) -> int:
    from amber_ladder.launch.checks import run_script

    return run_script(module, *options)


def _shots(_chosen: Namespace) -> int:
    return _script("tests.browser.shots")


def _soak(chosen: Namespace) -> int:
    if chosen.what == "station":
        return _script("tests.soak_station", "--minutes", chosen.minutes, "--seed", chosen.seed)
    script = "tests.soak_intake" if chosen.what == "intake" else "tests.soak"
    return _script(script, "--runs", chosen.runs, "--seed", chosen.seed)


def _benchmark(chosen: Namespace) -> int:
    return _script("benchmarks", *chosen.names)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="ladder")
    commands = parser.add_subparsers(dest="command", required=True)
    for name in ("demo", "start"):
        serving = commands.add_parser(name)
        serving.add_argument("--port", type=int, default=8080)
        serving.add_argument("--listen", metavar="ADDRESS", default="127.0.0.1", help="beyond this machine: sign-in")
        serving.add_argument("--name", action="append", default=[], help="a name that browsers use for this machine")
        serving.add_argument("--certificate", type=Path, help="PEM, for https")
        serving.add_argument("--key", type=Path, help="PEM, of the certificate")
        serving.add_argument("--behind-proxy", action="store_true", help="a proxy here speaks https")
        serving.set_defaults(do=_serve)
    accounts = commands.add_parser("account")
    accounts.add_argument("action", choices=("add", "list", "remove", "password", "sign-out"))
    accounts.add_argument("name", nargs="?")
    accounts.set_defaults(do=_account)
    backing = commands.add_parser("backup")
    backing.add_argument("folder", type=Path)
    backing.set_defaults(do=_backup)
    restoring = commands.add_parser("restore")
    restoring.add_argument("folder", type=Path)
    restoring.add_argument("--made", metavar="MOMENT", help="not the latest, but that one")
    restoring.set_defaults(do=_restore)
    checking = commands.add_parser("doctor")
    checking.add_argument("--mend", action="store_true", help="put right what can be")
    checking.set_defaults(do=_doctor)
    reporting = commands.add_parser("report")
    reporting.add_argument("file", type=Path)
    reporting.set_defaults(do=_report)
    working = commands.add_parser("worker", help="merge for a station on another machine")
    working.add_argument("--name", help="what it is called there; the machine's name else")
    working.add_argument("--keep", metavar="GB", type=float, default=50.0, help="of originals, for the next merges")
    working.set_defaults(do=_worker)
    commands.add_parser("invite", help="what to enter on another machine").set_defaults(do=_invite)
    for name, do in (("test", _test), ("benchmark", _benchmark)):
        named = commands.add_parser(name)
        named.add_argument("names", nargs="*")
        named.set_defaults(do=do)
    commands.add_parser("shots").set_defaults(do=_shots)
    soaking = commands.add_parser("soak")
    soaking.add_argument("what", nargs="?", choices=("runs", "station", "intake"), default="runs")
    soaking.add_argument("--runs", default="30")
    soaking.add_argument("--minutes", default="20")
    soaking.add_argument("--seed", default="1")
    soaking.set_defaults(do=_soak)
    return parser


def main() -> int:
    """Run one of the launcher's commands and return its exit code."""
    chosen = _parser().parse_args()
    try:
        return int(chosen.do(chosen))
    except AmberLadderError as error:
        words = str(error)
    except OSError as error:
        trouble = storage_trouble(error)
        if trouble is None:
            raise
        words = trouble
    print(f"ladder: {words}", file=sys.stderr)
    return 1


if __name__ == "__main__":
    sys.exit(main())
