"""What the ledger shows as a Darwin Core archive: each specimen once, and its stacks' merges that count."""

from collections.abc import Iterator, Mapping
from typing import Any

from amber_ladder.formats.darwin_core import archive
from amber_ladder.store import history, stacks
from amber_ladder.store import ledger as lines
from amber_ladder.store.base import now
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.models import Product, Specimen
from amber_ladder.work.ledger.browsing import LedgerFilter
from amber_ladder.work.ledger.lines import bring_up_to_date
from amber_ladder.work.record.records import label_of, merged_at, scale_in_words, technique_of
from amber_ladder.work.record.rights import Rights, rights_of
from amber_ladder.work.stack.naming import lasting_name

_NAME = "amber-ladder-dwca.zip"


def as_darwin_core(asked: LedgerFilter) -> tuple[bytes, str]:
    """Specimens and pictures of the stacks that are asked for, and the file's name.

    Raises BadInput, and Conflict while the ledger counts.
    """
    bring_up_to_date()
    with transaction() as session:
        rights = rights_of(session)
        specimens, pictures = dict[str, Mapping[str, str]](), list[tuple[str, Mapping[str, str]]]()
        for stack_id, merge_id in lines.values(session, asked.wanted(), ["stack_id", "merge_id"]):
            stack = stacks.get_stack(session, stack_id)
            told = _specimen(stack.specimen, rights)
            specimens[told["occurrenceID"]] = told
            if merge_id is not None:
                merge = stacks.get_product(session, merge_id, "merge")
                pictures.append((told["occurrenceID"], _picture(session, merge, rights_of(session, stack.id))))
    title = f"Focus stacks of {rights.institution or 'this station'}"
    return archive(specimens.values(), pictures, title=title, made=now().date().isoformat()), _NAME


def _specimen(specimen: Specimen, rights: Rights) -> dict[str, str]:
    def figure(value: float | None) -> str:
        return "" if value is None else f"{value:g}"

    placed = specimen.latitude is not None and specimen.longitude is not None
    return {
        "occurrenceID": ":".join(one for one in (rights.institution, specimen.catalogue_number) if one),
        "institutionCode": rights.institution, "catalogNumber": specimen.catalogue_number,
        "basisOfRecord": "MaterialEntity", "vernacularName": specimen.name, "scientificName": specimen.determination,
        "identifiedBy": specimen.determined_by, "dateIdentified": specimen.determined_on,
        "recordedBy": specimen.collector, "eventDate": specimen.collected_on, "locality": specimen.locality,
        "decimalLatitude": figure(specimen.latitude), "decimalLongitude": figure(specimen.longitude),
        "coordinateUncertaintyInMeters": figure(specimen.place_within_m),
        "geodeticDatum": "EPSG:4326" if placed else "", "preparations": specimen.mount,
        "occurrenceRemarks": specimen.note,
    }  # fmt: skip


def _picture(session: Session, merge: Product, rights: Rights) -> dict[str, str]:
    label, report = label_of(merge), merge.report or {}
    sums, known_by = next(_sums(session, merge), None), lasting_name(merge)
    return {
        "identifier": known_by, "providerManagedID": known_by, "type": "StillImage",
        "title": f"{merge.take.stack.specimen.name}, {known_by}", "format": "image/tiff",
        "creator": rights.photographer or (merge.take.task.by if merge.take.task else "") or "",
        "rights": rights.licence, "Owner": rights.rights_holder, "UsageTerms": rights.licence,
        "CreateDate": merged_at(merge) or "",
        "resourceCreationTechnique": f"{technique_of(report)}; {label.shot_with}",
        "comments": scale_in_words(label), "hashFunction": "SHA-256" if sums else "", "hashValue": sums or "",
    }  # fmt: skip


def _sums(session: Session, merge: Product) -> Iterator[str]:
    """The checksum of the composite, as the history noted it when it was made."""
    for entry in history.of_stack(session, merge.take.stack_id):
        facts: dict[str, Any] = entry.facts
        if entry.did == "merged" and (facts.get("take"), facts.get("number")) == (merge.take.number, merge.number):
            yield facts["files"]["composite.tif"]
