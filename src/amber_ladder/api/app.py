"""The server: API, events and the built pages, on one port of 127.0.0.1."""

import threading
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path

from fastapi import FastAPI, HTTPException
from fastapi.responses import FileResponse
from fastapi.staticfiles import StaticFiles
from starlette.routing import Match

from amber_ladder import __version__, logs
from amber_ladder.api import (
    bench,
    cabinet,
    card,
    day,
    deeds,
    events,
    ledger,
    measure,
    mend,
    merge,
    people,
    pictures,
    plan,
    practice,
    record,
    rigs,
    shoot,
    sort,
)
from amber_ladder.api.guard import Guard
from amber_ladder.api.problems import documented, install
from amber_ladder.api.requests import RequestLog
from amber_ladder.settings import LOOPBACK, settings
from amber_ladder.store.tasks import Notices
from amber_ladder.work.shoot import station_bench

_ROUTERS = (
    cabinet, day, practice, card, rigs, plan, shoot, bench, sort, merge, mend, measure, pictures, record, ledger, deeds,
    people, events,
)  # fmt: skip


def create_app(pages: Path | None = None, *, hosts: frozenset[str] = LOOPBACK, sign_in: bool = False) -> FastAPI:
    """The application; ``pages`` is the folder with the built web pages, ``hosts`` are the names it answers to.

    With ``sign_in`` nobody is answered before signing in.
    """
    app = FastAPI(
        title="Amber Ladder",
        version=__version__,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
    )
    install(app)
    app.state.notices, app.state.sign_in = Notices(), sign_in
    app.add_middleware(RequestLog)
    app.add_middleware(people.SignInGate if sign_in else people.Initials)
    app.add_middleware(Guard, hosts=hosts)  # the last one that is added is asked first
    for part in _ROUTERS:
        app.include_router(part.router, prefix="/api")
    documented(app)
    if pages is not None:
        _serve_pages(app, pages)
    return app


def _serve_pages(app: FastAPI, pages: Path) -> None:
    app.mount("/assets", StaticFiles(directory=pages / "assets", check_dir=False), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str) -> FileResponse:
        if path.startswith("api/"):
            # This route takes every GET: an address that exists for other methods must not be said to be missing.
            scope = {"type": "http", "path": f"/{path}", "method": "GET", "root_path": ""}
            others = (route for route in app.routes if getattr(route, "path", "") != "/{path:path}")
            if any(route.matches(scope)[0] is Match.PARTIAL for route in others):
                raise HTTPException(405, "this address takes no GET")
            raise HTTPException(404, "there is no such address")
        # Every other address is a page; the browser's own router takes it from there.
        return FileResponse(pages / "index.html", headers={"Cache-Control": "no-cache"})


def served() -> FastAPI:
    """What uvicorn runs: with the bench, which takes up again what was cut off."""
    logs.begin("server", settings().data)
    app = create_app(settings().pages, hosts=settings().hosts, sign_in=settings().sign_in)
    app.router.lifespan_context = _with_bench
    return app


@asynccontextmanager
async def _with_bench(_app: FastAPI) -> AsyncIterator[None]:
    # In a thread: the server answers while the rail is still being found.
    threading.Thread(target=station_bench().take_up_again, name="taking up again", daemon=True).start()
    yield
    station_bench().close()
