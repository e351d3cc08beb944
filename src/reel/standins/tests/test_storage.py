"""A copy that is cut and altered on its way ends complete and identical, or is said not to be."""

import random
from unittest.mock import patch

from hypothesis import given, settings
from hypothesis import strategies as st

from reel.core.media import MediaError
from reel.core.media.tests.test_files import FolderTestCase
from reel.core.offload import (
    BLOCK_BYTES,
    Folder,
    LinkBrokenError,
    copy_file,
    differing_blocks,
    fingerprint,
    mend_block,
    storage,
)
from reel.standins.storage import DeviceStorage, Link

SIZE = 3 * BLOCK_BYTES + 12_345


class CopyTests(FolderTestCase):
    def setUp(self):
        super().setUp()
        self.root, self.target = self.folder / "phone", self.folder / "copy.rolling.mp4"
        self.root.mkdir()
        self.data = random.Random(3).randbytes(SIZE)
        (self.root / "clip.mp4").write_bytes(self.data)
        self.waited = []
        self.storage = DeviceStorage(self.root, "the phone", self.waited.append)

    def copy(self):
        copy_file(self.storage, "clip.mp4", SIZE, self.target, lambda at: None)

    def test_a_copy_that_is_cut_ten_times_ends_complete_and_identical(self):
        cuts = 0
        places = random.Random(5)
        for _ in range(10):
            self.storage.set_link(Link(breaks_after_bytes=places.randrange(BLOCK_BYTES)))
            try:
                self.copy()
            except LinkBrokenError as error:
                self.assertIn("the phone", str(error))
                cuts += 1
        self.storage.set_link(Link(bytes_per_s=1_000_000))
        self.copy()
        self.assertEqual((cuts, differing_blocks(self.storage, "clip.mp4", self.target)), (10, []))
        self.assertEqual(self.target.read_bytes(), self.data)
        self.assertGreater(sum(self.waited), 0)

    @given(st.sets(st.integers(0, 3), min_size=1), st.integers(0, 40))
    @settings(max_examples=15, deadline=None)
    def test_what_is_altered_on_the_way_is_found_and_mended(self, altered, short):
        self.target.unlink(missing_ok=True)
        self.storage.set_link(Link(alters_reads=tuple(altered)))
        self.copy()
        self.assertEqual(differing_blocks(self.storage, "clip.mp4", self.target), sorted(altered))
        for number in sorted(altered):
            mend_block(self.storage, "clip.mp4", self.target, number)
        self.assertEqual(self.target.read_bytes(), self.data)
        self.target.write_bytes(self.data[: SIZE - short])
        self.assertEqual(bool(differing_blocks(self.storage, "clip.mp4", self.target)), short > 0)

    def test_a_file_is_known_again_by_its_content(self):
        folder = Folder(self.root)
        (self.root / "deep").mkdir()
        (self.root / "deep" / "same.mov").write_bytes(self.data)
        other = bytearray(self.data)
        other[SIZE // 2 + 5] ^= 1
        (self.root / "other.mp4").write_bytes(other)
        marks = {one.name: fingerprint(folder, one.name) for one in folder.files()}
        self.assertEqual(marks["clip.mp4"], marks["deep/same.mov"])
        self.assertNotEqual(marks["clip.mp4"], marks["other.mp4"])

    def test_nothing_outside_the_folder_is_read(self):
        (self.folder / "secret").write_bytes(b"x")
        (self.root / "link").symlink_to(self.folder / "secret")
        for name in ("../secret", str(self.folder / "secret"), "link", "a\x00b", ".", ""):
            with self.subTest(name), self.assertRaises(MediaError):
                Folder(self.root).read(name, 0, 10)
        for name in (".clip.mp4", ".trash/old.mp4"):
            (self.root / name).parent.mkdir(exist_ok=True)
            (self.root / name).write_bytes(b"x")
        self.assertEqual([one.name for one in Folder(self.root).files()], ["clip.mp4"])
        with self.assertRaises(MediaError):
            Folder(self.folder / "none").files()

    def test_a_folder_of_too_many_files_is_not_read(self):
        for number in range(3):
            (self.root / f"{number}.mp4").write_bytes(b"x")
        with patch.object(storage, "MAX_FILES", 4):
            self.assertEqual(len(Folder(self.root).files()), 4)
        with patch.object(storage, "MAX_FILES", 3), self.assertRaisesRegex(MediaError, "more than 3 files"):
            Folder(self.root).files()

    def test_a_full_drive_is_said(self):
        with self.assertRaisesRegex(MediaError, "can't be written"):
            copy_file(self.storage, "clip.mp4", SIZE, self.folder / "none" / "x", lambda at: None)
