"""``./ladder account``: who may sign in, where a station is reached from other machines."""

import getpass
import sys
from typing import TypeVar

from pydantic import ValidationError

from amber_ladder.errors import AmberLadderError, BadInput
from amber_ladder.launch.visiting import visiting

T = TypeVar("T")


def account(action: str, name: str | None) -> int:
    """Add, list or remove accounts, set a password anew, or end all of somebody's sign-ins. Raises AmberLadderError.

    A password is asked for, or read as a line from standard input where that is no terminal.
    """
    if action != "list" and not name:
        raise AmberLadderError(f"./ladder account {action} NAME: whose?")
    with visiting():
        from amber_ladder.work import people

        match action:
            case "list":
                print("\n".join(people.names()) or "nobody yet: ./ladder account add NAME")
            case "remove":
                people.remove_account(name or "")
                print(f"{name} can sign in no more. What was done under the name stays in the record.")
            case "sign-out":
                print(f"{name}: signed out of {people.sign_out_everywhere(name or '')} browsers.")
            case _:
                entry = _entry(people.NewAccount, name or "")
                (people.add_account if action == "add" else people.reset_password)(entry)
                print(f"{name} can sign in now." if action == "add" else f"{name} has a new password now.")
    return 0


def _entry(kind: type[T], name: str) -> T:
    password = _password()
    try:
        return kind(name=name, password=password)  # type: ignore[call-arg]
    except ValidationError as error:
        field = error.errors()[0]["loc"][0]
        words = "a password has 10 to 200 characters: a sentence is best" if field == "password" else "no usable name"
        raise BadInput(words) from error


def _password() -> str:
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\n")
    first = getpass.getpass("Password: ")
    if getpass.getpass("Once more: ") != first:
        raise BadInput("these two differ: nothing was changed")
    return first
