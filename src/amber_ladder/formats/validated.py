"""Entries that were put together in a use case rather than by the web framework, refused in the same words."""

from collections.abc import Mapping
from typing import Any, TypeVar

from pydantic import AfterValidator, BaseModel, ValidationError

from amber_ladder.errors import BadInput

Model = TypeVar("Model", bound=BaseModel)


def validated(model: type[Model], values: Mapping[str, Any]) -> Model:
    """The values as a model. Raises BadInput, which names the entry."""
    try:
        return model.model_validate(values)
    except ValidationError as error:
        raise refusal(error) from error


def between(low: float, high: float, unit: str, factor: float = 1.0, *, beyond_low: bool = False) -> AfterValidator:
    """Bounds of an entry that people see in another unit than it is sent in: theirs is ``factor`` times as many.

    With ``beyond_low`` the lower bound itself is refused too.
    """
    words = f"must lie between {low * factor:g} and {high * factor:g} {unit}"
    if beyond_low:
        words = f"must be more than {low * factor:g} and at most {high * factor:g} {unit}"

    def check(value: float) -> float:
        if value < low or value > high or (beyond_low and value == low):
            raise ValueError(words)
        return value

    return AfterValidator(check)


def least(value: float) -> AfterValidator:
    """A lower bound beside "more than 0": what lies below is no figure of anything that exists."""

    def check(entered: float) -> float:
        if entered < value:
            raise ValueError(f"must be {value:g} or more")
        return entered

    return AfterValidator(check)


def refusal(error: ValidationError, *, whole: str = "") -> BadInput:
    """The first thing that is wrong, with how many more; ``whole`` names what has no entry of its own."""
    first = error.errors(include_url=False)[0]
    field = ".".join(str(part) for part in first["loc"]) or None
    more = f" (and {error.error_count() - 1} more)" if error.error_count() > 1 else ""
    where = field or whole
    message = in_words(first["type"], first.get("ctx", {}), first["msg"])
    return BadInput(f"{where}: {message}{more}" if where else f"{message}{more}", field=field)


_WORDS = {
    "missing": "is missing",
    "greater_than": "must be more than {gt}",
    "greater_than_equal": "must be {ge} or more",
    "less_than": "must be less than {lt}",
    "less_than_equal": "must be {le} or less",
    "finite_number": "must be a number",
    "float_type": "must be a number",
    "float_parsing": "must be a number",
    "int_type": "must be a whole number",
    "int_parsing": "must be a whole number",
    "int_from_float": "must be a whole number",
    "string_type": "must be words",
    "string_too_short": "must not be empty",
    "string_too_long": "must have {max_length} characters at most",
    "too_short": "needs at least {min_length}",
    "too_long": "takes {max_length} at most",
    "literal_error": "must be one of {expected}",
    "extra_forbidden": "is not known here: leave it out",
}


def in_words(kind: str, context: Mapping[str, Any], otherwise: str) -> str:
    """What is wrong with an entry, as a person would say it; for a rarer ``kind`` the validator's own words."""
    said = _WORDS.get(kind)
    if said is None:
        return otherwise.removeprefix("Value error, ")
    return said.format(**{name: f"{value:g}" if isinstance(value, float) else value for name, value in context.items()})
