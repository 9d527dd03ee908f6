"""Specimens from a list of another house: columns matched, every line tried, and then brought in together."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from amber_ladder.errors import BadInput, Conflict
from amber_ladder.formats.specimen_table import TERMS, Table, guessed, read_table
from amber_ladder.formats.validated import in_words
from amber_ladder.store import specimens
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Specimen
from amber_ladder.work.cabinet.specimens import SpecimenEntry
from amber_ladder.work.journal import added_together

_NUMBERS = {"medium_index", "latitude", "longitude", "place_within_m", "width_mm", "height_mm", "depth_mm"}
_MOST_SAID = 200
NONE = ""


@dataclass(frozen=True, slots=True)
class ColumnOfList:
    """A column of the list: its head, an example of what stands in it, and the entry of the label that it is."""

    head: str
    example: str
    entry: str


@dataclass(frozen=True, slots=True)
class LineFault:
    """A line that cannot be brought in: its number in the file, the column, and why."""

    line: int
    column: str
    reason: str


@dataclass(frozen=True, slots=True)
class ListView:
    """What a list would bring: how many lines it has, how many of them can be brought in, what is wrong with others.

    ``there`` lines are in the cabinet already, word for word; ``entries`` are those that a column can be.
    """

    columns: list[ColumnOfList]
    entries: list[str]
    lines: int
    good: int
    there: int
    faults: list[LineFault]
    more_faults: int
    brought: int


def try_list(content: Iterable[bytes], entries: list[str] | None = None, *, kind: str = "") -> ListView:
    """What a list would bring; nothing is changed. ``entries`` say for each column which entry it is, "" for none.

    ``kind`` is that of lines that have none. Raises BadInput for what is no list.
    """
    return _brought(content, entries, kind, bring=False)


def bring_list(content: Iterable[bytes], entries: list[str], *, kind: str = "") -> ListView:
    """Bring all good lines in, as one deed that is undone at once. Raises BadInput, Conflict."""
    return _brought(content, entries, kind, bring=True)


def _brought(content: Iterable[bytes], entries: list[str] | None, kind: str, *, bring: bool) -> ListView:
    table = read_table(content)
    chosen = _chosen(table, entries)
    good, faults, there = list[SpecimenEntry](), list[LineFault](), 0
    seen = dict[str, int]()
    with transaction() as session:
        known = {one.catalogue_number: one for one in specimens.find(session)}
        for number, row in table.rows:
            entry, found = _tried(number, row, chosen, table.heads, kind)
            faults += found
            if entry is None:
                continue
            if entry.catalogue_number in seen:
                words = f"{entry.catalogue_number} stands in line {seen[entry.catalogue_number]} already"
                faults.append(LineFault(number, _head_of(chosen, table, "catalogue_number"), words))
                continue
            seen[entry.catalogue_number] = number
            before = known.get(entry.catalogue_number)
            if before is None:
                good.append(entry)
            elif _says_more(entry, before, set(chosen.values())):
                words = f"{entry.catalogue_number} is in the cabinet with another label"
                faults.append(LineFault(number, _head_of(chosen, table, "catalogue_number"), words))
            else:
                there += 1
        if bring:
            if not good:
                raise Conflict("no line of this list can be brought in")
            rows = [Specimen(**entry.model_dump()) for entry in good]
            for row_ in rows:
                specimens.save(session, row_)
            added_together(session, f"{len(rows)} specimens brought in from a list", rows)
    columns = [
        ColumnOfList(head, next((row[place] for _, row in table.rows if row[place].strip()), "")[:80],
                     chosen.get(place, NONE))
        for place, head in enumerate(table.heads)
    ]  # fmt: skip
    return ListView(
        columns, list(TERMS), len(table.rows), len(good), there, faults[:_MOST_SAID], max(len(faults) - _MOST_SAID, 0),
        len(good) if bring else 0,
    )  # fmt: skip


def _chosen(table: Table, entries: list[str] | None) -> dict[int, str]:
    """Which entry each column is. Raises BadInput where one is chosen twice, or is none."""
    if entries is None:
        return guessed(table.heads)
    if len(entries) != len(table.heads):
        raise BadInput(f"the list has {len(table.heads)} columns, and {len(entries)} were matched", field="entries")
    found = {place: entry for place, entry in enumerate(entries) if entry != NONE}
    for place, entry in found.items():
        if entry not in TERMS:
            raise BadInput(f"a label has no entry {entry}", field="entries")
        if entry in [other for where, other in found.items() if where < place]:
            raise BadInput(f"two columns are matched with {entry}: a label has it once", field="entries")
    return found


def _tried(
    number: int, row: tuple[str, ...], chosen: Mapping[int, str], heads: tuple[str, ...], kind: str
) -> tuple[SpecimenEntry | None, list[LineFault]]:
    told: dict[str, Any] = {"kind": kind} if kind else {}
    for place, entry in chosen.items():
        cell = row[place].strip()
        if cell:
            told[entry] = cell.replace(",", ".") if entry in _NUMBERS else cell
    if "name" not in told and "determination" in told:
        told["name"] = told["determination"]
    try:
        return SpecimenEntry.model_validate(told), []
    except ValidationError as error:
        columns = {entry: heads[place] for place, entry in chosen.items()}
        faults = []
        for one in error.errors(include_url=False):
            entry = str(one["loc"][0]) if one["loc"] else ""
            words = in_words(one["type"], one.get("ctx", {}), one["msg"])
            if one["type"] == "string_pattern_mismatch":
                words = "must be a day as in 2026-11-28, 2026-11 or 2026"
            faults.append(LineFault(number, columns.get(entry, entry), words))
        return None, faults


def _says_more(entry: SpecimenEntry, before: Specimen, told: set[str]) -> bool:
    return any(getattr(entry, name) != getattr(before, name) for name in told)


def _head_of(chosen: Mapping[int, str], table: Table, entry: str) -> str:
    return next((table.heads[place] for place, one in chosen.items() if one == entry), entry)
