"""How files are called that are made of a merge: from the station's pattern, or by what never changes."""

from dataclasses import dataclass
from typing import Annotated

from pydantic import AnyHttpUrl, StringConstraints, TypeAdapter, ValidationError

from amber_ladder.errors import BadInput
from amber_ladder.formats.file_names import USUAL, Part, check_pattern, filled, not_told_apart
from amber_ladder.formats.rig_json import Strict
from amber_ladder.store import single, stacks, tasks
from amber_ladder.store.database import Session, session_of, transaction
from amber_ladder.store.models import Product
from amber_ladder.store.single_models import Naming

_LONGEST_ADDRESS = 300
_UNDATED = "undated"
_ADDRESS = TypeAdapter(AnyHttpUrl)
Pattern = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=100)]


class FileNames(Strict):
    """Patterns for files and for folders (packages, web sites), and the address at which those sites are given out."""

    files: Pattern = USUAL
    folders: Pattern = USUAL
    web_address: Annotated[str, StringConstraints(strip_whitespace=True, max_length=_LONGEST_ADDRESS)] = ""


@dataclass(frozen=True, slots=True)
class NamedExample:
    """How the files of a merge would be called. ``alike`` is what these names would not tell apart."""

    picture: str
    package: str
    manifest: str | None
    alike: list[str]


def read_names() -> FileNames:
    """As they were set last."""
    with transaction() as session:
        return names_of(session)


def set_names(entry: FileNames) -> FileNames:
    """Set them for all that leaves the station from now on. Raises BadInput."""
    kept = _checked(entry)
    with transaction() as session:
        single.save(session, Naming, kept.model_dump())
        tasks.tell(session, "deed", {"id": None})  # other windows show them too
    return kept


def example(merge_id: int, entry: FileNames) -> NamedExample:
    """How files of this merge would be called; nothing is changed. Raises BadInput, NotFound."""
    kept = _checked(entry)
    with transaction(steady=True) as session:
        values = _values(stacks.get_product(session, merge_id, "merge"))
    folder = filled(kept.folders, values)
    return NamedExample(
        f"{filled(kept.files, values)}.png", f"{folder}.zip",
        f"{kept.web_address}/{folder}/manifest.json" if kept.web_address else None, not_told_apart(kept.files),
    )  # fmt: skip


def names_of(session: Session) -> FileNames:
    """The same within a transaction."""
    return FileNames.model_validate(single.load(session, Naming))


def file_stem(merge: Product) -> str:
    """How files made of a merge are called, without what is in them."""
    return filled(names_of(session_of(merge)).files, _values(merge))


def folder_name(merge: Product) -> str:
    """How a folder with all of a merge is called."""
    return filled(names_of(session_of(merge)).folders, _values(merge))


def lasting_name(merge: Product) -> str:
    """What a merge is known by elsewhere: the same for ever, whatever pattern files are called by."""
    take = merge.take
    text = (
        f"{take.stack.specimen.catalogue_number}_stack{take.stack.number}_take{take.number}_"
        f"{merge.settings['method']}{merge.number}"
    )
    return "".join(c if c.isascii() and (c.isalnum() or c in "-_") else "-" for c in text)


def _values(merge: Product) -> dict[Part, str]:
    take, stack = merge.take, merge.take.stack
    begun_at = take.created_at.astimezone() if take.source in stacks.AT_THE_BENCH else None
    shot_at = next((one.captured_at for one in take.frames if one.captured_at), begun_at)
    return {
        "number": stack.specimen.catalogue_number, "name": stack.specimen.name, "kind": stack.specimen.kind,
        "rig": stack.rig_name, "stack": str(stack.number), "take": str(take.number),
        "run": f"{merge.settings['method']}{merge.number}", "date": shot_at.date().isoformat() if shot_at else _UNDATED,
    }  # fmt: skip


def _checked(entry: FileNames) -> FileNames:
    check_pattern(entry.files, field="files")
    check_pattern(entry.folders, field="folders")
    address = entry.web_address.rstrip("/")
    if address:
        try:
            _ADDRESS.validate_python(address)
        except ValidationError as error:
            raise BadInput("an address begins with https:// and names a host", field="web_address") from error
        if "?" in address or "#" in address or "@" in address:
            raise BadInput("an address under which files lie has no ?, # or @", field="web_address")
    return entry.model_copy(update={"web_address": address})
