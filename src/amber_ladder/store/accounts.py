"""Accounts, where they are signed in, and attempts that failed."""

from datetime import datetime

from sqlalchemy import delete, func, or_, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, joinedload

from amber_ladder.errors import Conflict, NotFound
from amber_ladder.store.journal_models import Account, SignIn, SignInFailure


def everyone(session: Session) -> list[Account]:
    """All accounts by name."""
    return list(session.scalars(select(Account).order_by(Account.name)))


def find(session: Session, name: str) -> Account | None:
    """The account of that name, whatever its case."""
    return session.scalar(select(Account).where(func.lower(Account.name) == name.lower()))


def get(session: Session, name: str) -> Account:
    """The account of that name. Raises NotFound."""
    account = find(session, name)
    if account is None:
        raise NotFound(f"there is no account {name}")
    return account


def add(session: Session, account: Account) -> None:
    """Add an account. Raises Conflict when its name is taken."""
    if find(session, account.name) is not None:
        raise Conflict(f"there is an account {account.name} already")
    session.add(account)
    try:
        session.flush()
    except IntegrityError as error:
        raise Conflict(f"there is an account {account.name} already") from error


def signed_in(session: Session, token_sha256: str) -> SignIn | None:
    """The sign-in of a token, with its account."""
    query = select(SignIn).where(SignIn.token_sha256 == token_sha256).options(joinedload(SignIn.account))
    return session.scalar(query)


def sign_out(session: Session, token_sha256: str) -> None:
    """Forget one sign-in."""
    session.execute(delete(SignIn).where(SignIn.token_sha256 == token_sha256))


def sign_out_everywhere(session: Session, account: Account) -> int:
    """Forget all sign-ins of an account; returns how many there were."""
    return session.execute(delete(SignIn).where(SignIn.account_id == account.id)).rowcount  # type: ignore[attr-defined,no-any-return]


def failures(session: Session, name: str, address: str, since: datetime) -> int:
    """How many attempts under this name, or from this address, have failed since a moment."""
    mine = or_(SignInFailure.name == name.lower()[:60], SignInFailure.address == address)
    return session.scalar(select(func.count()).select_from(SignInFailure).where(mine, SignInFailure.at > since)) or 0


def forget_failures(session: Session, *, before: datetime, name: str | None = None) -> None:
    """Forget attempts that are long ago, and all under a name that has signed in now."""
    old = SignInFailure.at < before
    session.execute(
        delete(SignInFailure).where(old if name is None else or_(old, SignInFailure.name == name.lower()[:60]))
    )


def forget_old(session: Session, *, unused_since: datetime, made_before: datetime) -> None:
    """Forget sign-ins that were not used for long, or are old."""
    session.execute(delete(SignIn).where(or_(SignIn.seen_at < unused_since, SignIn.created_at < made_before)))
