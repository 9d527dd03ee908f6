"""record.json of a package, as far as it is read again: what was made of what, what was measured, and the history."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from amber_ladder.formats.label_json import LabelJson

Folder = Annotated[str, StringConstraints(pattern=r"^results/[A-Za-z0-9][A-Za-z0-9_.-]*$")]
Name = Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9][A-Za-z0-9_.-]*$")]


class Loose(BaseModel):
    """A later version may tell more."""

    model_config = ConfigDict(extra="allow")


class MadeJson(Loose):
    """A merge, or a picture mended of one. ``development`` is how the frames of a merge were developed."""

    kind: Literal["merge", "mend"]
    folder: Folder
    of: Name | None = None
    development: dict[str, Any] | None = None
    merges: dict[str, Name] = {}


class MeasuredJson(Loose):
    """Measures on a merge: what was asked (MEASURES.json), and what was told."""

    of: Name
    asked: dict[str, Any]
    told: dict[str, Any]


class RecordJson(Loose):
    """The record of a package. ``rows`` are what a station keeps of it; what the command line packs has none."""

    record: Literal[1]
    made_with: str
    label: LabelJson
    made: Annotated[list[MadeJson], Field(max_length=1000)]
    measured: Annotated[list[MeasuredJson], Field(max_length=1000)]
    history: list[Any]
    rows: dict[str, Any] | None = None
