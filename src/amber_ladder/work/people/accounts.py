"""Accounts: made, listed and removed from the command line; a password is changed by the one whose it is."""

from typing import Annotated

from pwdlib import PasswordHash
from pydantic import Field, SecretStr, StringConstraints

from amber_ladder.errors import BadInput
from amber_ladder.formats.rig_json import Strict
from amber_ladder.store import accounts
from amber_ladder.store.database import transaction
from amber_ladder.store.journal_models import Account

HASHES = PasswordHash.recommended()
"""Argon2id, with the parameters that its authors recommend."""

Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60, pattern=r"^[^\x00-\x1f]+$")]
Password = Annotated[SecretStr, Field(min_length=10, max_length=200)]


class NewAccount(Strict):
    """A name and a password of ten characters at least: a sentence is best."""

    name: Name
    password: Password


class NewPassword(Strict):
    """The password as it was, and as it shall be."""

    old: Annotated[SecretStr, Field(max_length=200)]
    new: Password


def add_account(entry: NewAccount) -> None:
    """Let somebody sign in. Raises Conflict when the name is taken."""
    with transaction() as session:
        accounts.add(session, Account(name=entry.name, password_hash=_hash(entry.password)))


def names() -> list[str]:
    """Who may sign in."""
    with transaction() as session:
        return [one.name for one in accounts.everyone(session)]


def remove_account(name: str) -> None:
    """Take an account away, and end all its sign-ins; what was done under the name stays. Raises NotFound."""
    with transaction() as session:
        session.delete(accounts.get(session, name))


def reset_password(entry: NewAccount) -> None:
    """Give an account another password, and end all its sign-ins. Raises NotFound."""
    with transaction() as session:
        account = accounts.get(session, entry.name)
        account.password_hash = _hash(entry.password)
        accounts.sign_out_everywhere(session, account)


def change_password(name: str, entry: NewPassword) -> None:
    """One's own. Other browsers are signed out. Raises BadInput when the old one is wrong, NotFound."""
    with transaction() as session:
        account = accounts.get(session, name)
        if not HASHES.verify(entry.old.get_secret_value(), account.password_hash):
            raise BadInput("this is not the present password", field="old")
        account.password_hash = _hash(entry.new)
        accounts.sign_out_everywhere(session, account)


def _hash(password: SecretStr) -> str:
    return HASHES.hash(password.get_secret_value())
