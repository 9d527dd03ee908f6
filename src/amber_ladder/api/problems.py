"""Every refusal in one shape: what is wrong, where, and what to do."""

import logging
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel
from starlette.exceptions import HTTPException

from amber_ladder.errors import (
    AmberLadderError,
    BadInput,
    Conflict,
    DatabaseAway,
    DeviceTrouble,
    NotFound,
    Stopped,
    StorageFull,
    TooMany,
    storage_trouble,
)
from amber_ladder.formats.validated import in_words

_STATUS: tuple[tuple[type[AmberLadderError], int], ...] = (
    (BadInput, 422),
    (NotFound, 404),
    (Conflict, 409),
    (TooMany, 429),
    (DatabaseAway, 503),
    (DeviceTrouble, 502),
    (Stopped, 409),
    (StorageFull, 507),
)
_UNIONS = {"train", "sharpness", "part"}  # in a location, the kind that was chosen follows these
log = logging.getLogger(__name__)


class FieldProblem(BaseModel):
    """What is wrong with one entry; ``field`` is dotted as in the JSON, empty for the whole."""

    field: str
    message: str


class Problem(BaseModel):
    """A refusal."""

    message: str
    fields: list[FieldProblem] = []


RESPONSES: dict[int | str, dict[str, Any]] = {code: {"model": Problem} for code in (401, 404, 409, 422, 502, 503, 507)}


def documented(app: FastAPI) -> None:
    """Let the document say that refusals are JSON, also where the answer itself is a picture, a page or a file."""
    as_made = app.openapi

    def openapi() -> dict[str, Any]:
        document = as_made()
        for operations in document["paths"].values():
            for operation in operations.values():
                for status, answer in operation["responses"].items():
                    if status >= "400" and answer.get("content"):
                        answer["content"] = {"application/json": next(iter(answer["content"].values()))}
        return document

    app.openapi = openapi  # type: ignore[method-assign]  # as FastAPI's documentation has it


def install(app: FastAPI) -> None:
    """Answer all errors of ours, of validation and of the framework as a Problem."""

    @app.exception_handler(AmberLadderError)
    def ours(_request: Request, error: AmberLadderError) -> JSONResponse:
        status = next((code for kind, code in _STATUS if isinstance(error, kind)), 500)
        field = getattr(error, "field", None)
        return _answer(status, str(error), [FieldProblem(field=field, message=str(error))] if field else [])

    @app.exception_handler(RequestValidationError)
    def invalid(_request: Request, error: RequestValidationError) -> JSONResponse:
        fields = [
            FieldProblem(field=_where(one["loc"]), message=in_words(one["type"], one.get("ctx", {}), one["msg"]))
            for one in error.errors()
        ]
        first = fields[0]
        return _answer(422, f"{first.field}: {first.message}" if first.field else first.message, fields)

    @app.exception_handler(HTTPException)
    def framework(_request: Request, error: HTTPException) -> JSONResponse:
        return _answer(error.status_code, str(error.detail), [])

    @app.exception_handler(OSError)
    def disk(request: Request, error: OSError) -> JSONResponse:
        words = storage_trouble(error)
        if words is None:
            return fault(request, error)
        log.error("%s", error)
        return _answer(507, words, [])

    @app.exception_handler(ArithmeticError)
    def figures(_request: Request, error: ArithmeticError) -> JSONResponse:
        log.info("figures that lead nowhere: %s", error)
        return _answer(422, "With these figures nothing can be reckoned: one is far too small or far too large.", [])

    @app.exception_handler(Exception)
    def fault(request: Request, error: Exception) -> JSONResponse:
        log.exception("%s %s", request.method, request.url.path, exc_info=error)
        return _answer(500, "Our fault: something went wrong here. Nothing was lost; try again.", [])


def _answer(status: int, message: str, fields: list[FieldProblem]) -> JSONResponse:
    return JSONResponse(Problem(message=message, fields=fields).model_dump(), status)


def _where(location: tuple[int | str, ...]) -> str:
    parts = [str(part) for part in location]
    named = [part for i, part in enumerate(parts) if i == 0 or parts[i - 1] not in _UNIONS]
    return ".".join(named[1:] if named and named[0] in ("body", "query", "path") else named)
