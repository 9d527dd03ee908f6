"""Who is answered: requests meant for this station, changes from its own pages alone; and what browsers may do.

A web page elsewhere can send requests here, even under a host name of its own that leads to 127.0.0.1 (DNS
rebinding). Its requests carry that name as Host, and its address as Origin or Sec-Fetch-Site.
"""

from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

_READS = frozenset({"GET", "HEAD", "OPTIONS"})
_POLICY = "; ".join(
    (
        "default-src 'self'",
        "img-src 'self' blob: data:",
        "style-src 'self' 'unsafe-inline'",  # the bench sheet, and what keeps the page still behind a dialog
        "object-src 'none'",
        "base-uri 'none'",
        "form-action 'self'",
        "frame-ancestors 'none'",
    )
)
HEADERS = {
    "Content-Security-Policy": _POLICY,
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
}


class Guard:
    """Refuses what is not meant for this station, before anything else looks at it. ``hosts`` are its names."""

    def __init__(self, app: ASGIApp, hosts: frozenset[str]) -> None:
        self._app, self._hosts = app, hosts

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """One request."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return

        async def sent(message: Message) -> None:
            if message["type"] == "http.response.start":
                MutableHeaders(scope=message).update(HEADERS)
            await send(message)

        refusal = self._refusal(scope["method"], Headers(scope=scope))
        if refusal is None:
            await self._app(scope, receive, sent)
            return
        status, words = refusal
        await JSONResponse({"message": words, "fields": []}, status)(scope, receive, sent)

    def _refusal(self, method: str, headers: Headers) -> tuple[int, str] | None:
        host = headers.get("host", "")
        if _name(f"//{host}") not in self._hosts:
            return 421, (
                "This station is not known under that name: open it at the address that it printed when it started, or "
                "start it with the name among AMBER_LADDER_HOSTS."
            )
        if method in _READS:
            return None
        site, origin = headers.get("sec-fetch-site"), headers.get("origin")
        # A script without a browser sends neither.
        elsewhere = origin is not None and urlsplit(origin).netloc.lower() != host.lower()
        if elsewhere or site not in (None, "same-origin", "none"):
            return 403, "Another web page asked for this: only the station's own pages may change anything."
        return None


def _name(address: str) -> str:
    try:
        return urlsplit(address).hostname or ""
    except ValueError:
        return ""
