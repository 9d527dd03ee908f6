"""The changes of a mend, and the steps that they come to."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any

from pydantic import TypeAdapter

from amber_ladder.formats.mend_json import Contrast, CropStep, Ground, Sharpen, StepJson, ToneStep

_STEP: TypeAdapter[StepJson] = TypeAdapter(StepJson)
_AFTER_PAINT: dict[type[Any], int] = {Ground: 1, Sharpen: 2, Contrast: 2, ToneStep: 2, CropStep: 3}


@dataclass(frozen=True, slots=True)
class Kept:
    """A step by its number, which it keeps, and what was said of it when it was done."""

    number: int
    step: StepJson
    said: dict[str, Any]


def adding(step: StepJson, said: dict[str, Any]) -> dict[str, Any]:
    """The change that adds a step."""
    return {"step": as_json(step), "said": said}


def setting(number: int, step: StepJson, said: dict[str, Any]) -> dict[str, Any]:
    """The change that puts another step in the place of one."""
    return {"number": number, "step": as_json(step), "said": said}


def kept(changes: Iterable[dict[str, Any]]) -> list[Kept]:
    """What changes come to, in the order in which steps were added."""
    steps: list[Kept] = []
    for change in changes:
        step = _STEP.validate_python(change["step"])
        if "number" in change:
            steps[change["number"]] = replace(steps[change["number"]], step=step, said=change["said"])
        else:
            steps.append(Kept(len(steps), step, change["said"]))
    return steps


def in_order(steps: Sequence[Kept]) -> list[Kept]:
    """Steps in the order in which they are applied: paint, then the ground, then tones and detail, the crop last.

    So paint laid later is toned like all the rest, and what was painted into the ground belongs to it.
    """
    return sorted(steps, key=lambda one: _AFTER_PAINT.get(type(one.step), 0))


def as_json(step: StepJson) -> dict[str, Any]:
    """A step as STEPS.json has it."""
    return {"kind": step.kind, **step.model_dump(mode="json", by_alias=True, exclude_defaults=True)}


def words_of(change: dict[str, Any]) -> str:
    """A change as one says it."""
    step = _STEP.validate_python(change["step"])
    what = {
        "from_frame": "paint", "from_merge": "paint from another merge", "erase": "eraser", "heal": "healing",
        "dust": "dust", "ground": "ground", "tone": "tone", "sharpen": "sharpening", "contrast": "local contrast",
        "crop": "crop",
    }[step.kind]  # fmt: skip
    if "number" not in change:
        return what
    return f"{what} {'off' if step.off else 'changed'}"
