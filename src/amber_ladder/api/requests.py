"""A line in the log for every request that changes something or goes wrong; names and words stay out of it."""

import logging
import secrets
import time

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from amber_ladder import logs

log = logging.getLogger(__name__)
_READS = frozenset({"GET", "HEAD", "OPTIONS"})


class RequestLog:
    """Gives each request a number of its own, which stands in every line that it causes."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        status, began = 0, time.monotonic()

        async def sent(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
            await send(message)

        with logs.about(f"request {secrets.token_hex(4)}"):
            try:
                await self._app(scope, receive, sent)
            finally:
                if scope["method"] not in _READS or status >= 400 or status == 0:
                    log.info("%s %s %s %.0f ms", scope["method"], _place(scope), status or "broke off",
                             1e3 * (time.monotonic() - began))  # fmt: skip


def _place(scope: Scope) -> str:
    """The address with its numbers; what a person has named, such as a file, is left out."""
    route = getattr(scope.get("route"), "path", None)
    if route is None:
        return "/api/…" if scope["path"].startswith("/api/") else "a page"
    for name, value in scope.get("path_params", {}).items():
        shown = str(value) if str(value).isdigit() else "…"
        route = route.replace(f"{{{name}}}", shown).replace(f"{{{name}:path}}", shown)
    return str(route)
