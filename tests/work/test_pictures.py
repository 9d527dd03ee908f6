"""Tiles and previews: made when first wanted, without holding on to the database."""

import unittest
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any
from unittest.mock import patch

from amber_ladder.errors import NotFound
from amber_ladder.formats.tiles import make_tiles
from amber_ladder.store.database import engine
from amber_ladder.work import pictures
from tests.support.takes import a_merge, shot_stack


class Tiles(unittest.TestCase):
    def test_no_connection_is_held_while_tiles_are_made(self) -> None:
        frame = shot_stack().takes[0].frames[3]
        held: list[int] = []
        make = make_tiles

        def watched(picture: Any, folder: Path) -> None:
            held.append(engine().pool.checkedout())  # type: ignore[attr-defined]
            make(picture, folder)

        with patch.object(pictures, "make_tiles", watched):
            folder = pictures.tiles_folder("frame", frame.id)
            pictures.tiles_folder("frame", frame.id)  # once is enough
        self.assertEqual(held, [0])
        self.assertTrue((folder / "picture.dzi").is_file())
        self.assertTrue(pictures.frame_thumb(frame.id).startswith(b"\xff\xd8"))

    def test_of_many_who_want_a_picture_at_once_one_makes_its_tiles(self) -> None:
        frame = shot_stack().takes[0].frames[4]
        made = list[Path]()

        def watched(picture: Any, folder: Path) -> None:
            made.append(folder)
            make_tiles(picture, folder)

        with patch.object(pictures, "make_tiles", watched), ThreadPoolExecutor(8) as many:
            folders = set(many.map(lambda _: pictures.tiles_folder("frame", frame.id), range(8)))
        self.assertEqual((len(made), len(folders)), (1, 1))

    def test_the_worker_may_be_faster(self) -> None:
        frame = shot_stack().takes[0].frames[5]

        def late(picture: Any, folder: Path) -> None:
            make_tiles(picture, folder)  # the other's
            make_tiles(picture, folder)

        with patch.object(pictures, "make_tiles", late):
            self.assertTrue((pictures.tiles_folder("frame", frame.id) / "preview.jpg").is_file())

    def test_a_merge_has_its_composite_and_its_depth(self) -> None:
        done = a_merge(shot_stack().takes[0].id)
        for kind in ("composite", "depth"):
            self.assertTrue((pictures.tiles_folder(kind, done.id) / "preview.jpg").is_file())

    def test_what_does_not_exist_is_not_found(self) -> None:
        shot_stack()
        for kind in ("frame", "composite", "depth"):
            with self.assertRaises(NotFound):
                pictures.tiles_folder(kind, 999_999)


if __name__ == "__main__":
    unittest.main()
