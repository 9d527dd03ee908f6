"""People who share a station: their accounts, and where they are signed in."""

from amber_ladder.work.people.accounts import (
    NewAccount,
    NewPassword,
    add_account,
    change_password,
    names,
    remove_account,
    reset_password,
)
from amber_ladder.work.people.signing_in import SignedIn, SignInEntry, sign_in, sign_out, sign_out_everywhere, who

__all__ = [
    "NewAccount",
    "NewPassword",
    "SignInEntry",
    "SignedIn",
    "add_account",
    "change_password",
    "names",
    "remove_account",
    "reset_password",
    "sign_in",
    "sign_out",
    "sign_out_everywhere",
    "who",
]
