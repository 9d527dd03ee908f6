"""Signing in and out. A browser keeps a random token; the database keeps its checksum."""

import secrets
from dataclasses import dataclass
from datetime import timedelta
from functools import cache
from hashlib import sha256
from typing import Annotated

from pydantic import Field, SecretStr

from amber_ladder.errors import BadInput, TooMany
from amber_ladder.formats.rig_json import Strict
from amber_ladder.store import accounts
from amber_ladder.store.base import now
from amber_ladder.store.database import transaction
from amber_ladder.store.journal_models import SignIn, SignInFailure
from amber_ladder.work.people.accounts import HASHES, Name

LASTS = timedelta(days=14)
_UNUSED = timedelta(hours=12)
_SEEN_EVERY = timedelta(minutes=1)
_FEW, _WITHIN = 8, timedelta(minutes=10)
"""So many attempts may fail under one name or from one address, then all have to wait."""


class SignInEntry(Strict):
    """A name and its password."""

    name: Name
    password: Annotated[SecretStr, Field(max_length=200)]


@dataclass(frozen=True, slots=True)
class SignedIn:
    """Who has signed in, and the token that the browser shall keep."""

    name: str
    token: str


def sign_in(entry: SignInEntry, address: str) -> SignedIn:
    """Sign somebody in. Raises BadInput for a wrong name or password, and TooMany after too many of them."""
    moment = now()
    with transaction() as session:
        accounts.forget_failures(session, before=moment - _WITHIN)
        if accounts.failures(session, entry.name, address, moment - _WITHIN) >= _FEW:
            raise TooMany("Too many attempts have failed under this name or from here: wait ten minutes.")
        account = accounts.find(session, entry.name)
        known = account.password_hash if account else _nobodys()
        # Reckoned for an unknown name too: how long it takes must not tell which names there are.
        right = HASHES.verify(entry.password.get_secret_value(), known)
        if account is None or not right:
            session.add(SignInFailure(name=entry.name.lower(), address=address[:60]))
        else:
            accounts.forget_failures(session, before=moment - _WITHIN, name=entry.name)
            accounts.forget_old(session, unused_since=moment - _UNUSED, made_before=moment - LASTS)
            token = secrets.token_urlsafe(32)
            session.add(SignIn(account_id=account.id, token_sha256=_checksum(token)))
    if account is None or not right:
        raise BadInput("This name and this password do not belong together.")
    return SignedIn(account.name, token)


def who(token: str) -> str | None:
    """Who has signed in with this token, None for nobody any more."""
    moment = now()
    with transaction() as session:
        found = accounts.signed_in(session, _checksum(token))
        if found is None or found.seen_at < moment - _UNUSED or found.created_at < moment - LASTS:
            return None
        if found.seen_at < moment - _SEEN_EVERY:
            found.seen_at = moment
        return found.account.name


def sign_out(token: str) -> None:
    """This browser's sign-in ends."""
    with transaction() as session:
        accounts.sign_out(session, _checksum(token))


def sign_out_everywhere(name: str) -> int:
    """All sign-ins of somebody end; returns how many there were. Raises NotFound."""
    with transaction() as session:
        return accounts.sign_out_everywhere(session, accounts.get(session, name))


@cache
def _nobodys() -> str:
    return HASHES.hash(secrets.token_urlsafe(32))


def _checksum(token: str) -> str:
    return sha256(token.encode()).hexdigest()
