"""The ledger as a Darwin Core archive: read by another's reader, and by the list that brings specimens in."""

import tempfile
import unittest
from pathlib import Path

from dwca.read import DwCAReader

from amber_ladder.formats.specimen_table import guessed, read_table
from amber_ladder.settings import settings
from amber_ladder.store.frame_store import FrameStore, sha256_of
from amber_ladder.work import ledger, record
from tests.support.station import database
from tests.support.takes import a_merge, new_stack, shot_stack, take_of

TERMS, DC, AC = "http://rs.tdwg.org/dwc/terms/", "http://purl.org/dc/terms/", "http://rs.tdwg.org/ac/terms/"


class ForCollections(unittest.TestCase):
    def setUp(self) -> None:
        database()

    def test_another_reads_specimens_with_their_pictures(self) -> None:
        label = {"kind": "moss for others", "collector": "Å. Fell", "collected_on": "2026-05", "latitude": 54.5,
                 "longitude": -3.25, "place_within_m": 30, "determination": "Bryum capillare", "note": "two\nlines\tand a tab"}  # fmt: skip
        stack = new_stack("DC-1", specimen=label, far_um=700)
        done = a_merge(take_of(stack, shot_stack("DC-0").takes[0].frames[10:18]))
        new_stack("DC-2", specimen={"kind": "moss for others"}, far_um=700)
        record.set_rights(record.Rights(institution="THFS", licence="CC BY 4.0", rights_holder="Tarn Hollow"))
        content, _ = ledger.as_darwin_core(ledger.LedgerFilter.model_validate({"kind": ["moss for others"]}))
        with tempfile.TemporaryDirectory() as holder:
            path = Path(holder) / "archive.zip"
            path.write_bytes(content)
            with DwCAReader(str(path)) as found:
                self.assertEqual(found.descriptor.core.type, f"{TERMS}Occurrence")
                first, second = found.rows
                (picture,), others = first.extensions, second.extensions
        told = {key.removeprefix(TERMS): value for key, value in first.data.items()}
        self.assertEqual(
            (first.id, told["catalogNumber"], told["scientificName"]), ("THFS:DC-1", "DC-1", "Bryum capillare")
        )
        self.assertEqual((told["recordedBy"], told["eventDate"]), ("Å. Fell", "2026-05"))
        self.assertEqual(
            (told["decimalLatitude"], told["decimalLongitude"], told["geodeticDatum"]), ("54.5", "-3.25", "EPSG:4326")
        )
        self.assertEqual(told["occurrenceRemarks"], "two lines and a tab")
        self.assertEqual((picture.rowtype, len(others)), (f"{AC}Multimedia", 0))
        self.assertEqual((picture.data[f"{DC}rights"], picture.data[f"{DC}format"]), ("CC BY 4.0", "image/tiff"))
        folder = FrameStore(settings().data).product_folder(done.id)
        self.assertEqual(picture.data[f"{AC}hashValue"], sha256_of(folder / "composite.tif"))
        self.assertIn("µm/px, nominal", picture.data[f"{AC}comments"])
        # What one station gives, another can bring in.
        table = read_table([content])
        entries = guessed(table.heads)
        row = {entries[place]: cell for place, cell in enumerate(table.rows[0][1]) if place in entries}
        self.assertEqual((row["catalogue_number"], row["name"], row["collector"]), ("DC-1", "moss capsule", "Å. Fell"))
        self.assertEqual((row["latitude"], row["place_within_m"], row["collected_on"]), ("54.5", "30", "2026-05"))
