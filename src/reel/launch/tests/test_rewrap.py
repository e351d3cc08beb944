"""Rewrapping from the shell."""

import contextlib
import io
import json
from pathlib import Path

from reel.core.media import probe
from reel.core.media.tests.clips import plan, write_clip
from reel.core.media.tests.test_files import FolderTestCase
from reel.launch.cli import main


class RewrapTests(FolderTestCase):
    def test_it_writes_beside_each_file_and_never_over_one(self):
        source = write_clip(self.folder / "stone.mkv", plan(), range(30))
        (self.folder / "stone.mp4").write_bytes(b"somebody's own")
        (self.folder / "notes.mkv").write_text("no media")
        said = io.StringIO()
        files = [str(source), str(self.folder / "notes.mkv")]
        with contextlib.redirect_stdout(said), self.assertRaises(SystemExit) as ended:
            main(["rewrap", *files, "--to", "mp4", "--json"])
        one, other = json.loads(said.getvalue())
        self.assertEqual((ended.exception.code, one["problem"], one["left_out"]), (1, None, []))
        self.assertEqual(probe(Path(one["file"])).video.frames, 30)
        self.assertEqual((self.folder / "stone.mp4").read_bytes(), b"somebody's own")
        self.assertIn("can't be read as a media file", other["problem"])
        self.assertEqual(list(self.folder.glob("*rolling*")), [])
