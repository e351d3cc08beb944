"""Files that come over from a device: beside whatever else lies on the shelf or rolls there."""

import tempfile
import unittest
from pathlib import Path

from reel.core.errors import ReelError
from reel.core.media import MediaError, NameTakenError, Shelf
from reel.recorder.recording.on_device import bring_over


class BringOverTests(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.shelf, device = Shelf(Path(folder.name) / "shelf"), Path(folder.name) / "device"
        self.shelf.make()
        device.mkdir()
        self.file = device / "walk_001.mp4"
        self.file.write_bytes(bytes(range(256)) * 100)

    def on_shelf(self):
        return {path.name: path.stat().st_size for path in self.shelf.root.iterdir()}

    def test_what_rolls_under_the_same_name_stays_and_the_copy_gets_a_letter(self):
        rolling = self.shelf.root / "walk_001.rolling.mp4"
        rolling.write_bytes(b"it rolls")
        self.assertEqual(bring_over(self.file, self.shelf).name, "walk_001b.mp4")
        self.assertEqual(rolling.read_bytes(), b"it rolls")
        self.assertEqual((self.shelf.root / "walk_001b.mp4").read_bytes(), self.file.read_bytes())
        (self.shelf.root / "walk_001c.mp4").mkdir()  # whatever it is that has the name
        self.assertEqual(bring_over(self.file, self.shelf).name, "walk_001d.mp4")

    def test_the_reserve_of_the_drive_stays_free_and_nothing_half_copied_is_left(self):
        with self.assertRaisesRegex(MediaError, "walk_001.mp4 could not be copied over: .* MB are kept free"):
            bring_over(self.file, self.shelf, self.shelf.free_bytes() + 10**9)
        self.assertEqual(self.on_shelf(), {})

    def test_a_copy_that_fails_leaves_nothing(self):
        self.file.unlink()
        with self.assertRaisesRegex(MediaError, "could not be copied over"):
            bring_over(self.file, self.shelf)
        self.assertEqual(self.on_shelf(), {})

    def test_where_every_letter_is_taken_that_is_said(self):
        for letter in ("", *"bcdefghijklmnopqrstuvwxyz"):
            (self.shelf.root / f"walk_001{letter}.mp4").touch()
        with self.assertRaises(NameTakenError) as raised:
            bring_over(self.file, self.shelf)
        self.assertIsInstance(raised.exception, ReelError)
