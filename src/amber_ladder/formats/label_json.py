"""LABEL.json: what is known of a specimen and its pictures besides the optics; all of it may be left away."""

from typing import Annotated

from pydantic import Field, StringConstraints

from amber_ladder.formats.rig_json import Strict

Line = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)]
Words = Annotated[str, StringConstraints(strip_whitespace=True, max_length=300)]
Day = Annotated[str, StringConstraints(pattern=r"^(\d{4}(-(0[1-9]|1[0-2])(-(0[1-9]|[12]\d|3[01]))?)?)?$")]
"""As exact as it is known: 2026, 2026-11 or 2026-11-28; empty where it is not."""
Latitude = Annotated[float, Field(ge=-90, le=90, allow_inf_nan=False, description="°, WGS 84, north positive")]
Longitude = Annotated[float, Field(ge=-180, le=180, allow_inf_nan=False, description="°, WGS 84, east positive")]
Metres = Annotated[float, Field(gt=0, le=2e7, allow_inf_nan=False, description="m")]


class CollectionJson(Strict):
    """What a collection asks of a specimen: where and when it was found, by whom, and what it was determined as.

    ``place_within_m`` is how far the place may lie from the coordinates.
    """

    latitude: Latitude | None = None
    longitude: Longitude | None = None
    place_within_m: Metres | None = None
    collector: Line = ""
    collected_on: Day = ""
    determination: Line = ""
    determined_by: Line = ""
    determined_on: Day = ""


class LabelJson(CollectionJson):
    """All that is known of a specimen and of whose its pictures are; empty where it is not."""

    catalogue_number: Words = ""
    name: Words = ""
    kind: Words = ""
    mount: Words = ""
    medium: Words = ""
    locality: Words = ""
    photographer: Words = ""
    licence: Words = ""
    rights_holder: Words = ""
    note: Annotated[str, StringConstraints(max_length=4000)] = ""
