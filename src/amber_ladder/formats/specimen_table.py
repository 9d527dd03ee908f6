"""Tables of specimens as other houses have them: CSV of any usual kind, or the core of a Darwin Core archive (zip)."""

import csv
import io
import zipfile
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from xml.etree import ElementTree

from amber_ladder.errors import BadInput

_MOST_ROWS = 20_000
_MOST_BYTES = 50_000_000
_META = "meta.xml"
_DWC = "{http://rs.tdwg.org/dwc/text/}"
TERMS: Mapping[str, Sequence[str]] = {
    "catalogue_number": ("catalognumber", "catalogue number", "catalog number", "number", "id"),
    "name": ("name", "vernacularname", "title", "label"),
    "kind": ("kind", "category", "group"),
    "mount": ("mount", "preparations", "preparation"),
    "medium": ("medium", "lies in"),
    "medium_index": ("medium_index", "refractive index"),
    "locality": ("locality", "place", "verbatimlocality"),
    "latitude": ("latitude", "decimallatitude"),
    "longitude": ("longitude", "decimallongitude"),
    "place_within_m": ("place_within_m", "coordinateuncertaintyinmeters"),
    "collector": ("collector", "recordedby"),
    "collected_on": ("collected_on", "collected", "eventdate", "date"),
    "determination": ("determination", "determined as", "scientificname", "species"),
    "determined_by": ("determined_by", "determined by", "identifiedby"),
    "determined_on": ("determined_on", "determined on", "dateidentified"),
    "note": ("note", "notes", "remarks", "occurrenceremarks"),
    "width_mm": ("width_mm", "width mm"),
    "height_mm": ("height_mm", "height mm"),
    "depth_mm": ("depth_mm", "depth mm"),
}
"""Entries of a label, and the words by which columns are known for them; those of Darwin Core among them."""


@dataclass(frozen=True, slots=True)
class Table:
    """A table: the heads of its columns, and its rows with the number of the line where each begins."""

    heads: tuple[str, ...]
    rows: tuple[tuple[int, tuple[str, ...]], ...]


def read_table(chunks: Iterable[bytes]) -> Table:
    """A table of specimens, from a file that comes in pieces. Raises BadInput for what is none."""
    file = bytearray()
    for chunk in chunks:
        file += chunk
        if len(file) > _MOST_BYTES:
            raise BadInput(
                f"this file has more than {_MOST_BYTES // 1_000_000} MB: no list of specimens has", field="file"
            )
    content = bytes(file)
    return _archive(content) if content[:2] == b"PK" else _csv(content)


def guessed(heads: Sequence[str]) -> dict[int, str]:
    """Which entry each column is likely to be, by its head; each entry once."""
    known = {word: entry for entry, words in TERMS.items() for word in (entry, *words)}
    found: dict[int, str] = {}
    for place, head in enumerate(heads):
        entry = known.get(" ".join(head.strip().lower().split()))
        if entry is not None and entry not in found.values():
            found[place] = entry
    return found


def _csv(content: bytes) -> Table:
    text = _text(content)
    first = text.split("\n", 1)[0]
    delimiter = max(",;\t", key=first.count)
    try:
        rows = _numbered(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True))
    except csv.Error as error:
        raise BadInput(f"this is no table (CSV): {error}", field="file") from error
    if not rows:
        raise BadInput("this table has no line: its first line names the columns", field="file")
    (_, heads), *lines = rows
    return _checked(tuple(heads), lines)


def _numbered(reader: Any) -> list[tuple[int, list[str]]]:
    rows, line = [], 1
    for row in reader:
        if any(cell.strip() for cell in row):
            rows.append((line, row))
        line = reader.line_num + 1
        if len(rows) > _MOST_ROWS + 1:
            raise BadInput(f"this table has more than {_MOST_ROWS} lines: bring it in parts", field="file")
    return rows


def _checked(heads: tuple[str, ...], lines: Sequence[tuple[int, Sequence[str]]]) -> Table:
    if not lines:
        raise BadInput("this table has only one line: below the names of its columns stands nothing", field="file")
    wide = len(heads)
    return Table(heads, tuple((number, tuple([*row, *[""] * wide][:wide])) for number, row in lines))


def _text(content: bytes) -> str:
    for encoding in ("utf-8-sig", "utf-16") if content[:2] in (b"\xff\xfe", b"\xfe\xff") else ("utf-8-sig", "cp1252"):
        try:
            return content.decode(encoding).replace("\r\n", "\n")
        except UnicodeDecodeError:
            continue
    raise BadInput("this is no text: save the list as CSV, in UTF-8", field="file")


def _archive(content: bytes) -> Table:
    """The core of a Darwin Core archive, as its meta.xml describes it."""
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            meta = next((name for name in archive.namelist() if name.rsplit("/", 1)[-1] == _META), None)
            if meta is None:
                raise BadInput("this zip is no Darwin Core archive: it holds no meta.xml", field="file")
            core = ElementTree.fromstring(archive.read(meta)).find(f"{_DWC}core")
            location = None if core is None else core.findtext(f"{_DWC}files/{_DWC}location")
            if core is None or location is None:
                raise BadInput("meta.xml in this archive names no core", field="file")
            info = archive.getinfo(meta[: -len(_META)] + location)
            if info.file_size > _MOST_BYTES:
                raise BadInput("the core of this archive is too large for a list of specimens", field="file")
            text = archive.read(info).decode(core.get("encoding") or "utf-8")
    except (zipfile.BadZipFile, KeyError, ElementTree.ParseError, UnicodeDecodeError, LookupError) as error:
        raise BadInput(f"this archive cannot be read: {error}", field="file") from error
    return _core(core, text)


def _core(core: ElementTree.Element, text: str) -> Table:
    def sign(name: str, usual: str) -> str:
        return (core.get(name) or usual).replace("\\t", "\t").replace("\\n", "\n").replace("\\r", "\r")

    fields = {int(one.get("index", "-1")): one.get("term", "") for one in core.findall(f"{_DWC}field")}
    quote = sign("fieldsEnclosedBy", "") or None
    told: dict[str, Any] = {"quotechar": quote} if quote else {"quoting": csv.QUOTE_NONE}
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=sign("fieldsTerminatedBy", ","), **told)
    rows = _numbered(reader)
    skipped = int(core.get("ignoreHeaderLines") or 0)
    wide = max([*fields, *(len(row) - 1 for _, row in rows[:1])], default=-1) + 1
    heads = tuple(fields.get(place, "").rsplit("/", 1)[-1] or f"column {place + 1}" for place in range(wide))
    return _checked(heads, rows[skipped:])
