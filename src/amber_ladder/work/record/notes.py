"""What a picture that leaves the house says of itself."""

from amber_ladder import __version__
from amber_ladder.formats.picture_notes import PictureNotes
from amber_ladder.store.models import Product
from amber_ladder.work.record.records import RecordView, merged_at, scale_in_words, technique_of
from amber_ladder.work.record.rights import Rights


def notes_of(merge: Product, shown: RecordView, rights: Rights) -> PictureNotes:
    """Of what a merge shows, whose it is, how it was made, and at which scale."""
    report, take, specimen = merge.report or {}, merge.take, merge.take.stack.specimen
    technique = technique_of(report)
    return PictureNotes(
        title=f"{specimen.catalogue_number} {specimen.name}", catalogue_number=specimen.catalogue_number,
        determination=specimen.determination, creator=rights.photographer or (take.task.by if take.task else "") or "",
        rights_holder=rights.rights_holder, licence=rights.licence, made_by=technique, scale=scale_in_words(shown),
        software=f"Amber Ladder {__version__}", merged_at=merged_at(merge) or "",
    )  # fmt: skip
