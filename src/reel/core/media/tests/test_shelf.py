import datetime
import errno
from pathlib import Path
from unittest.mock import patch

from reel.core.file import NameFacts
from reel.core.media import MediaError, NameTakenError, Shelf, sidecar_folder
from reel.core.media.tests.test_files import FolderTestCase

NAMED = NameFacts(rig="Moss & Stone", at=datetime.datetime(2026, 5, 2, 10))


class ShelfTests(FolderTestCase):
    def reserve(self, suffix="mkv"):
        return self.shelf.reserve("{rig}_{number}", NAMED, suffix)

    def setUp(self):
        super().setUp()
        self.shelf = Shelf(self.folder)

    def test_numbers_go_on_and_nothing_is_written_over(self):
        names = []
        for suffix in ("mkv", "mp4", "mkv"):
            reserved = self.reserve(suffix)
            reserved.rolling.write_text(suffix)
            names.append(self.shelf.complete(reserved).name)
        self.assertEqual(names, ["moss-stone_001.mkv", "moss-stone_002.mp4", "moss-stone_003.mkv"])
        self.assertEqual(self.reserve().number, 4)
        self.assertEqual(self.reserve().number, 5, "a name that is rolling is taken too")

    def test_name_taken_meanwhile(self):
        reserved = self.reserve()
        reserved.rolling.write_text("new")
        reserved.final.write_text("old")
        self.assertEqual(self.shelf.complete(reserved).name, "moss-stone_001b.mkv")
        self.assertEqual(reserved.final.read_text(), "old")

    def test_rename(self):
        (self.folder / "a.mkv").write_text("a")
        (self.folder / "b.mp4").write_text("b")
        with self.assertRaises(NameTakenError):
            self.shelf.rename([("a.mkv", "")], "B")
        self.assertEqual(self.shelf.rename([("a.mkv", "")], "../../Stone path: good"), ["stone-path-good.mkv"])
        self.assertEqual(self.shelf.rename([("stone-path-good.mkv", "")], "stone path good"), ["stone-path-good.mkv"])
        with self.assertRaises(MediaError):
            self.shelf.rename([("gone.mkv", "")], "c")

    def test_a_file_and_what_lies_beside_it_are_renamed_together_or_not_at_all(self):
        refused = OSError(errno.EACCES, "Permission denied")
        for failing in ("rename", "replace"):  # the folder, the file
            with self.subTest(failing):
                reserved = self.reserve()
                reserved.rolling.write_text("new")
                sidecar_folder(reserved.rolling).mkdir()
                with patch.object(Path, failing, side_effect=refused), self.assertRaises(MediaError):
                    self.shelf.complete(reserved)
                self.assertTrue(reserved.rolling.exists() and sidecar_folder(reserved.rolling).exists())
                name = self.shelf.complete(reserved).name
                with patch.object(Path, failing, side_effect=refused), self.assertRaises(MediaError):
                    self.shelf.rename([(name, "")], f"evening {failing}")
                self.assertTrue((self.folder / name).exists() and sidecar_folder(self.folder / name).exists())
                self.assertTrue(
                    sidecar_folder(self.folder / self.shelf.rename([(name, "")], f"evening {failing}")[0]).exists()
                )

    def test_paths_stay_on_the_shelf(self):
        for name in ("../a", "/etc/passwd", "..", ".", "", "a/b", "a\x00b"):
            with self.subTest(name), self.assertRaises(MediaError):
                self.shelf.path(name)

    def test_a_shelf_that_is_gone_is_said(self):
        gone = Shelf(self.folder / "gone")
        with self.assertRaises(MediaError):
            gone.free_bytes()
        with self.assertRaises(MediaError):
            gone.reserve("{number}", NAMED, "mkv")
