"""Entries that were put together in a use case rather than by the web framework, refused in the same words."""

from collections.abc import Mapping
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from amber_ladder.errors import BadInput

Model = TypeVar("Model", bound=BaseModel)


def validated(model: type[Model], values: Mapping[str, Any]) -> Model:
    """The values as a model. Raises BadInput, which names the entry."""
    try:
        return model.model_validate(values)
    except ValidationError as error:
        raise refusal(error) from error


def refusal(error: ValidationError, *, whole: str = "") -> BadInput:
    """The first thing that is wrong, with how many more; ``whole`` names what has no entry of its own."""
    first = error.errors(include_url=False)[0]
    field = ".".join(str(part) for part in first["loc"]) or None
    more = f" (and {error.error_count() - 1} more)" if error.error_count() > 1 else ""
    where = field or whole
    message = first["msg"].removeprefix("Value error, ")
    return BadInput(f"{where}: {message}{more}" if where else f"{message}{more}", field=field)
