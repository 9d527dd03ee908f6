"""Files that we write and others read: by other people's readers, and byte by byte where that is promised."""

import io
import tempfile
import unittest
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from zlib import crc32

import numpy as np
import trimesh

from amber_ladder.core.depth import Surface
from amber_ladder.core.fusion import Excluded, Growth, Moved, Survey
from amber_ladder.core.light import Speck
from amber_ladder.errors import BadInput
from amber_ladder.formats.files import file_in_one_piece
from amber_ladder.formats.meshes import write_mesh
from amber_ladder.formats.surveys import key_of, read_survey, write_survey
from amber_ladder.formats.zips import Member, ZipStream, skeleton


class Folder(unittest.TestCase):
    def setUp(self) -> None:
        kept = tempfile.TemporaryDirectory()
        self.addCleanup(kept.cleanup)
        self.folder = Path(kept.name)


class Meshes(Folder):
    CORNERS_MM = np.array([[0.0, 0.0, 0.0], [1.5, 0.0, -0.1], [1.5, 1.0, -0.2], [0.0, 1.0, -0.4]])
    TRIANGLES = np.array([[0, 1, 2], [0, 2, 3]])
    COLOURS = np.array([[200, 10, 30], [0, 255, 0], [17, 18, 19], [255, 255, 255]], np.uint8)

    def test_each_kind_is_read_back_with_its_places_in_mm_and_its_colours(self) -> None:
        for name, kind in (("s.ply", "ply"), ("s.glb", "gltf"), ("s.gltf", "gltf")):
            path = self.folder / name
            write_mesh(path, kind, self.CORNERS_MM, self.TRIANGLES, self.COLOURS)  # type: ignore[arg-type]
            mesh: Any = trimesh.load(path, force="mesh", process=False)
            np.testing.assert_allclose(mesh.vertices, self.CORNERS_MM, atol=1e-6)
            np.testing.assert_array_equal(mesh.faces, self.TRIANGLES)
            np.testing.assert_array_equal(mesh.visual.vertex_colors[:, :3], self.COLOURS)

    def test_gltf_as_text_holds_all_of_it_in_one_file(self) -> None:
        path = self.folder / "s.gltf"
        write_mesh(path, "gltf", self.CORNERS_MM, self.TRIANGLES, self.COLOURS)
        self.assertEqual([one.name for one in self.folder.iterdir()], ["s.gltf"])
        self.assertTrue(path.read_bytes().lstrip().startswith(b"{"))


class Zips(unittest.TestCase):
    FILES = (("record.json", b'{"a": 1}'), ("frames/rung 0001 µm.jpg", bytes(range(256)) * 300), ("empty.txt", b""))

    def written(self) -> tuple[bytes, ZipStream]:
        stream, out = ZipStream(), bytearray()
        for name, content in self.FILES:
            for piece in stream.file(name, len(content), self.in_pieces(content)):
                out += piece
        out += b"".join(stream.end())
        return bytes(out), stream

    def in_pieces(self, content: bytes) -> Iterator[bytes]:
        for at in range(0, len(content), 7000):
            yield content[at : at + 7000]

    def test_another_reader_finds_every_file_whole(self) -> None:
        with zipfile.ZipFile(io.BytesIO(self.written()[0])) as read:
            self.assertIsNone(read.testzip())
            self.assertEqual([(one.filename, read.read(one)) for one in read.infolist()], list(self.FILES))
            self.assertEqual({one.date_time for one in read.infolist()}, {(1980, 1, 1, 0, 0, 0)})

    def test_it_is_the_same_to_the_byte_each_time(self) -> None:
        self.assertEqual(self.written()[0], self.written()[0])

    def test_all_but_the_files_is_known_before_anything_is_read(self) -> None:
        whole, stream = self.written()
        self.assertEqual([one.crc for one in stream.members], [crc32(content) for _, content in self.FILES])
        covered = bytearray(len(whole))
        for at, piece in skeleton(stream.members):
            self.assertEqual(whole[at : at + len(piece)], piece)
            covered[at : at + len(piece)] = b"\1" * len(piece)
        self.assertEqual(len(whole) - sum(covered), sum(len(content) for _, content in self.FILES))

    def test_files_far_beyond_four_gigabytes_are_listed_where_they_lie(self) -> None:
        far = [Member("a.tif", 5 << 30, 1, 0), Member("b.tif", 6 << 30, 2, (5 << 30) + 100)]
        pieces = list(skeleton(far))
        end = pieces[-1][0]
        self.assertGreater(end, 11 << 30)
        self.assertIn((6 << 30).to_bytes(8, "little"), pieces[-1][1])

    def test_a_file_that_changed_its_size_meanwhile_is_not_passed_off_as_whole(self) -> None:
        for size in (4, 9):
            with self.assertRaisesRegex(ValueError, f"a.txt has 7 bytes, not {size}"):
                list(ZipStream().file("a.txt", size, [b"seven", b" b"]))


class Surveys(Folder):
    """What a first merge found is what later ones begin from: all of it, or nothing."""

    def survey(self) -> Survey:
        random = np.random.default_rng(1)
        shape = (24, 32)
        mask = np.zeros(shape, bool)
        mask[3:9, 4:20] = True
        return Survey(
            used=(0, 1, 3, 4),
            places=(0.0, 1.0, 3.0, 4.0),
            reference=3,
            matrices=tuple(random.normal(size=(2, 3)) for _ in range(4)),
            rms_px=(0.0, 0.1, 0.2, 0.3),
            corner_px=(0.01, 0.02, 0.03, 0.04),
            shown_px=(0.01, 0.01, 0.02, 0.0),
            gains=(1.0, 1.01, 0.99, 1.0),
            blur_px=0.7,
            factor=2,
            crop=(2, 3, 40, 30),
            surface=Surface(random.random(shape, np.float32), mask),
            confidence=random.random(shape, np.float32),
            gaps=((1, 3),),
            moved=(Moved(mask, ~mask, mask, 2, (1, 2), 0, 1),),
            specks=(Speck("dust", 3.0, 4.5, 2.0),),
            growth=Growth(1e-4, 2e-5, 3e-4),
            grain=0.01,
            near_first=False,
            order_basis="given",
            excluded=(Excluded("c.jpg", "is dark"),),
        )

    def test_it_is_read_back_to_the_bit(self) -> None:
        path, found = self.folder / "survey.npz", self.survey()
        write_survey(path, found, key_of(stack=1))
        again = read_survey(path, key_of(stack=1))
        assert again
        for name in ("used", "places", "reference", "rms_px", "corner_px", "shown_px", "gains", "blur_px", "factor", "crop", "gaps",
                     "growth", "excluded", "specks", "grain", "near_first", "order_basis"):  # fmt: skip
            self.assertEqual(getattr(again, name), getattr(found, name), name)
        np.testing.assert_array_equal(again.matrices, found.matrices)
        np.testing.assert_array_equal(again.surface.index, found.surface.index)
        np.testing.assert_array_equal(again.surface.known, found.surface.known)
        self.assertEqual((again.moved[0].events, again.moved[0].sharp_at), ((1, 2), 2))
        np.testing.assert_array_equal(again.moved[0].told, found.moved[0].told)

    def test_one_of_other_frames_or_settings_is_not_taken_for_it(self) -> None:
        path = self.folder / "survey.npz"
        write_survey(path, self.survey(), key_of(stack=1, exclude=["a"]))
        self.assertIsNone(read_survey(path, key_of(stack=1, exclude=["b"])))
        self.assertIsNone(read_survey(path, key_of(stack=2, exclude=["a"])))
        self.assertIsNotNone(read_survey(path, key_of(exclude=["a"], stack=1)))

    def test_a_damaged_or_missing_one_is_none_and_no_error(self) -> None:
        path, key = self.folder / "survey.npz", key_of(stack=1)
        self.assertIsNone(read_survey(path, key))
        write_survey(path, self.survey(), key)
        whole = path.read_bytes()
        for content in (b"", b"PK\3\4", whole[: len(whole) // 2], whole[:-30], b"\0" * len(whole)):
            path.write_bytes(content)
            self.assertIsNone(read_survey(path, key), len(content))


class OneFile(Folder):
    def test_it_takes_its_name_only_when_it_is_whole(self) -> None:
        target = self.folder / "new" / "caption.txt"
        with file_in_one_piece(target) as scratch:
            scratch.write_text("half")
            self.assertFalse(target.exists())
            self.assertEqual((scratch.parent, scratch.suffix), (target.parent, target.suffix))
        self.assertEqual([one.name for one in target.parent.iterdir()], ["caption.txt"])

    def test_a_failure_leaves_the_old_one_and_no_rest(self) -> None:
        target = self.folder / "caption.txt"
        target.write_text("old")
        with self.assertRaises(ZeroDivisionError), file_in_one_piece(target) as scratch:
            scratch.write_text("half")
            raise ZeroDivisionError
        self.assertEqual([(one.name, one.read_text()) for one in self.folder.iterdir()], [("caption.txt", "old")])

    def test_a_folder_is_no_file_and_a_file_no_folder(self) -> None:
        (self.folder / "there").mkdir()
        with self.assertRaisesRegex(BadInput, "is a folder: name a file"), file_in_one_piece(self.folder / "there"):
            pass
        (self.folder / "file").write_text("x")
        with self.assertRaisesRegex(BadInput, "cannot be made here"), file_in_one_piece(self.folder / "file" / "a.txt"):
            pass


if __name__ == "__main__":
    unittest.main()
