"""Files as request bodies: spooled first, then handed to a use case in a thread."""

import shutil
from collections.abc import Callable, Iterable
from tempfile import SpooledTemporaryFile, gettempdir
from typing import Any, TypeVar

from fastapi import HTTPException, Request
from fastapi.concurrency import run_in_threadpool

T = TypeVar("T")
_CHUNK = 1 << 20
_IN_MEMORY = 64 << 20
MOST_BYTES = 2_000_000_000

KEEP = {"Cache-Control": "private, max-age=31536000, immutable"}
"""For answers that are always the same under their address."""

BODY: dict[str, Any] = {
    "requestBody": {"content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}}}
}
"""Tells the schema that the body is the file itself."""


async def streamed(request: Request, use: Callable[[Iterable[bytes]], T], *, any_size: bool = False) -> T:
    """Receive the whole body, then let ``use`` read it in chunks. Raises HTTPException for one beyond any frame.

    What may be of ``any_size`` is cut short where it would take more than half of the room that is left.
    """
    # Spooled first: a slow or broken sender must not hold a thread, and memory stays small.
    received = 0
    most = shutil.disk_usage(gettempdir()).free // 2 if any_size else MOST_BYTES
    with SpooledTemporaryFile(max_size=_IN_MEMORY) as spool:
        async for chunk in request.stream():
            received += len(chunk)
            if received > most:
                why = "there is no room for it: free some space" if any_size else "no frame is"
                raise HTTPException(413, f"This file is larger than {most / 1e9:.3g} GB: {why}.")
            await run_in_threadpool(spool.write, chunk)
        spool.seek(0)
        return await run_in_threadpool(use, iter(lambda: spool.read(_CHUNK), b""))
