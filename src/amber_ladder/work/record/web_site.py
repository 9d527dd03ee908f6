"""A picture for a web site: tiles and a manifest, as one file to unpack where any server gives files out."""

import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

from amber_ladder.errors import Conflict
from amber_ladder.formats.iiif import write_iiif
from amber_ladder.formats.pictures import colour_profile, read_picture
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work.record.notes import notes_of
from amber_ladder.work.record.records import finished, label_of, mended_line, mended_of, steps_of
from amber_ladder.work.record.rights import rights_of
from amber_ladder.work.stack.naming import folder_name, names_of


@contextmanager
def web_site(merge_id: int, mended_id: int | None = None) -> Iterator[tuple[Path, str]]:
    """A zip of one folder for the address that the station gives its pictures out at, and the name to save it under.

    The merge is cropped to what all frames share; a mended picture of it is as it was mended, and says so. Raises
    NotFound, and Conflict where no address is set.
    """
    with transaction(steady=True) as session:
        merge = finished(stacks.get_product(session, merge_id, "merge"))
        mended = None if mended_id is None else mended_of(session, merge_id, mended_id)
        address = names_of(session).web_address
        if not address:
            raise Conflict("set the address first at which pictures are given out: it stands in every file")
        shown, crop = label_of(merge), (merge.report or {})["crop"]
        notes = notes_of(merge, shown, rights_of(session, merge.take.stack_id))
        name = folder_name(merge) if mended is None else f"{folder_name(merge)}_mend{mended.number}"
        told = {
            "Catalogue number": notes.catalogue_number, "Determination": notes.determination, "Made as": notes.made_by,
            "Scale": notes.scale, "Merged": notes.merged_at, "Made with": notes.software,
        }  # fmt: skip
        if mended:
            line = mended_line(mended)
            told["Mended"] = f"{line.name}, {steps_of(line)}; {line.not_evidence:.2%} of it is not evidence"
    path = FrameStore(settings().data).product_folder(mended_id or merge_id) / "composite.tif"
    picture = read_picture(path)
    if mended is None:
        picture = picture[crop["y"] : crop["y"] + crop["height"], crop["x"] : crop["x"] + crop["width"]]
    whose = [f"© {notes.rights_holder}" if notes.rights_holder else "", notes.creator, notes.licence]
    with TemporaryDirectory() as scratch:
        folder, packed = Path(scratch) / name, Path(scratch) / f"{name}_web-site.zip"
        folder.mkdir()
        write_iiif(
            folder, picture, name=notes.title, um_per_px=shown.um_per_px, base=f"{address}/{name}",
            colour_profile=colour_profile(path), told=told, credit=", ".join(one for one in whose if one),
            licence=notes.licence,
        )  # fmt: skip
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED) as file:
            for one in sorted(path for path in folder.rglob("*") if path.is_file()):
                file.write(one, one.relative_to(scratch))
        yield packed, packed.name
