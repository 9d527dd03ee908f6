"""Signing in and out, and who asks."""

import re
from dataclasses import dataclass
from urllib.parse import unquote

from fastapi import APIRouter, Request, Response
from starlette.concurrency import run_in_threadpool
from starlette.requests import cookie_parser
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Receive, Scope, Send

from amber_ladder.api.problems import RESPONSES, Problem
from amber_ladder.errors import DatabaseAway
from amber_ladder.settings import settings
from amber_ladder.store.base import PERSON
from amber_ladder.work import people
from amber_ladder.work.people.signing_in import LASTS

router = APIRouter(tags=["people"], responses={**RESPONSES, 429: {"model": Problem}})
_COOKIE = "amber_ladder"
_INITIALS = "initials"
_IS_INITIALS = re.compile(r"[^\W_](?:[\w .'-]{0,10}[\w.])?")
_WITHOUT = frozenset({"/api/session", "/api/health"})


@dataclass(frozen=True, slots=True)
class SessionView:
    """Who is signed in; None for nobody. ``needed`` is whether anybody must."""

    needed: bool
    name: str | None


class SignInGate:
    """Answers nobody who has not signed in, but for the pages themselves; and says who asks to all behind it."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request."""
        if scope["type"] != "http" or not scope["path"].startswith("/api/"):
            await self._app(scope, receive, send)
            return
        token = _token(scope)
        try:
            name = await run_in_threadpool(people.who, token) if token else None
        except DatabaseAway as error:
            await _refused(503, str(error))(scope, receive, send)
            return
        if name is None and scope["path"] not in _WITHOUT:
            await _refused(401, "Sign in first.")(scope, receive, send)
            return
        person = PERSON.set(name)
        try:
            await self._app(scope, receive, send)
        finally:
            PERSON.reset(person)


class Initials:
    """On a station without accounts: who asks is who this browser's initials say, for the history."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request."""
        told = unquote(_cookies(scope).get(_INITIALS, "")) if scope["type"] == "http" else ""
        person = PERSON.set(told if _IS_INITIALS.fullmatch(told) else None)
        try:
            await self._app(scope, receive, send)
        finally:
            PERSON.reset(person)


@router.get("/health")
def health() -> dict[str, str]:
    """Whether the server answers; for those who watch over it."""
    return {"server": "answers"}


@router.get("/session")
def session(request: Request) -> SessionView:
    """Who is signed in here."""
    return SessionView(request.app.state.sign_in, PERSON.get())


@router.post("/session")
def sign_in(entry: people.SignInEntry, request: Request, response: Response) -> SessionView:
    """Sign in."""
    signed_in = people.sign_in(entry, request.client.host if request.client else "")
    response.set_cookie(
        _COOKIE, signed_in.token, max_age=int(LASTS.total_seconds()), httponly=True, samesite="strict",
        secure=settings().secure,
    )  # fmt: skip
    return SessionView(request.app.state.sign_in, signed_in.name)


@router.delete("/session")
def sign_out(request: Request, response: Response, *, everywhere: bool = False) -> SessionView:
    """Sign out, here or in every browser."""
    token, name = request.cookies.get(_COOKIE), PERSON.get()
    if everywhere and name:
        people.sign_out_everywhere(name)
    elif token:
        people.sign_out(token)
    response.delete_cookie(_COOKIE, httponly=True, samesite="strict", secure=settings().secure)
    return SessionView(request.app.state.sign_in, None)


@router.put("/password")
def change_password(entry: people.NewPassword, request: Request) -> SessionView:
    """Change one's own password; all browsers are signed out, this one too."""
    people.change_password(PERSON.get() or "", entry)
    return SessionView(request.app.state.sign_in, None)


def _token(scope: Scope) -> str | None:
    return _cookies(scope).get(_COOKIE) or None


def _cookies(scope: Scope) -> dict[str, str]:
    found = dict[str, str]()
    for key, value in scope["headers"]:
        if key == b"cookie":
            found |= cookie_parser(value.decode("latin-1"))
    return found


def _refused(status: int, words: str) -> JSONResponse:
    return JSONResponse({"message": words, "fields": []}, status)
