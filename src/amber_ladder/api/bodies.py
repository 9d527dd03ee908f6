"""Files as request bodies: spooled first, then handed to a use case in a thread."""

from collections.abc import Callable, Iterable
from tempfile import SpooledTemporaryFile
from typing import Any, TypeVar

from fastapi import Request
from fastapi.concurrency import run_in_threadpool

T = TypeVar("T")
_CHUNK = 1 << 20
_IN_MEMORY = 64 << 20

BODY: dict[str, Any] = {
    "requestBody": {"content": {"application/octet-stream": {"schema": {"type": "string", "format": "binary"}}}}
}
"""Tells the schema that the body is the file itself."""


async def streamed(request: Request, use: Callable[[Iterable[bytes]], T]) -> T:
    """Receive the whole body, then let ``use`` read it in chunks."""
    # Spooled first: a slow or broken sender must not hold a thread, and memory stays small.
    with SpooledTemporaryFile(max_size=_IN_MEMORY) as spool:
        async for chunk in request.stream():
            await run_in_threadpool(spool.write, chunk)
        spool.seek(0)
        return await run_in_threadpool(use, iter(lambda: spool.read(_CHUNK), b""))
