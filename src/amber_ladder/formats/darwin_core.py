"""A Darwin Core archive with the Audubon Core extension: specimens with their pictures, for a collection's database.

Terms: https://dwc.tdwg.org/terms/ and https://ac.tdwg.org/termlist/; the form of the archive is that of the Darwin Core
text guide.
"""

import csv
import io
import zipfile
from collections.abc import Iterable, Mapping, Sequence
from xml.sax.saxutils import escape, quoteattr

_DWC, _DC = "http://rs.tdwg.org/dwc/terms/", "http://purl.org/dc/terms/"
_AC, _XMP = "http://rs.tdwg.org/ac/terms/", "http://ns.adobe.com/xap/1.0/rights/"
_OCCURRENCE, _MEDIA = f"{_DWC}Occurrence", f"{_AC}Multimedia"
SPECIMEN = {
    "occurrenceID": _DWC, "institutionCode": _DWC, "catalogNumber": _DWC, "basisOfRecord": _DWC, "vernacularName": _DWC,
    "scientificName": _DWC, "identifiedBy": _DWC, "dateIdentified": _DWC, "recordedBy": _DWC, "eventDate": _DWC,
    "locality": _DWC, "decimalLatitude": _DWC, "decimalLongitude": _DWC, "coordinateUncertaintyInMeters": _DWC,
    "geodeticDatum": _DWC, "preparations": _DWC, "occurrenceRemarks": _DWC,
}  # fmt: skip
PICTURE = {
    "identifier": _DC, "type": _DC, "title": _DC, "format": _DC, "creator": _DC, "rights": _DC, "Owner": _XMP,
    "UsageTerms": _XMP, "CreateDate": "http://ns.adobe.com/xap/1.0/", "resourceCreationTechnique": _AC, "comments": _AC,
    "hashFunction": _AC, "hashValue": _AC, "providerManagedID": _AC,
}  # fmt: skip
"""Columns of both tables, each with the vocabulary that its term is of. A picture's first column is its specimen."""


def archive(
    specimens: Iterable[Mapping[str, str]], pictures: Iterable[tuple[str, Mapping[str, str]]], *, title: str, made: str
) -> bytes:
    """The archive as a zip. ``pictures`` come with the ``occurrenceID`` of their specimen; ``made`` is the day."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as target:
        target.writestr("occurrence.txt", _table(list(SPECIMEN), (_row(SPECIMEN, one) for one in specimens)))
        rows = ([of, *_row(PICTURE, one)] for of, one in pictures)
        target.writestr("multimedia.txt", _table(["coreid", *PICTURE], rows))
        target.writestr("meta.xml", _meta())
        target.writestr("eml.xml", _eml(title, made))
    return out.getvalue()


def _row(columns: Mapping[str, str], told: Mapping[str, str]) -> list[str]:
    return [" ".join(told.get(one, "").split()) for one in columns]


def _table(head: Sequence[str], rows: Iterable[Sequence[str]]) -> str:
    out = io.StringIO()
    writer = csv.writer(out, delimiter="\t", lineterminator="\n", quotechar='"')
    writer.writerow(head)
    writer.writerows(rows)
    return out.getvalue()


def _meta() -> str:
    form = (
        'encoding="UTF-8" fieldsTerminatedBy="\\t" linesTerminatedBy="\\n" fieldsEnclosedBy="&quot;" '
        'ignoreHeaderLines="1"'
    )
    core = "".join(f'<field index="{i}" term="{where}{one}"/>' for i, (one, where) in enumerate(SPECIMEN.items()))
    media = "".join(f'<field index="{i}" term="{where}{one}"/>' for i, (one, where) in enumerate(PICTURE.items(), 1))
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        '<archive xmlns="http://rs.tdwg.org/dwc/text/" metadata="eml.xml">\n'
        f'<core {form} rowType="{_OCCURRENCE}"><files><location>occurrence.txt</location></files><id index="0"/>{core}'
        f'</core>\n<extension {form} rowType="{_MEDIA}"><files><location>multimedia.txt</location></files>'
        f'<coreid index="0"/>{media}</extension>\n</archive>\n'
    )


def _eml(title: str, made: str) -> str:
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<eml:eml xmlns:eml="https://eml.ecoinformatics.org/eml-2.2.0" packageId={quoteattr(f"amber-ladder-{made}")} '
        'system="Amber Ladder"><dataset>'
        f"<title>{escape(title)}</title><pubDate>{escape(made)}</pubDate></dataset></eml:eml>\n"
    )
