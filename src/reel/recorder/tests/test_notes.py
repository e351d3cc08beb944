import tempfile
import threading
import unittest
from pathlib import Path
from unittest.mock import patch

from reel.core.signal import NS
from reel.recorder import notes
from reel.recorder.journal import JournalError
from reel.recorder.notes import Notes
from reel.recorder.reached import Reached, read_reached


class NotesTests(unittest.TestCase):
    def test_what_can_not_be_stored_is_tried_again_and_nothing_overtakes_it(self):
        done, tries, over = [], [], threading.Event()

        def refused():
            tries.append(1)
            if len(tries) < 3:
                raise JournalError("database is locked")
            done.append("first")

        kept = Notes()
        with patch.object(notes, "AGAIN_S", 0.01):
            kept.add(refused)
            kept.add(lambda: done.append("second"))
            kept.add(over.set)
            self.assertTrue(over.wait(20))
        self.assertEqual((done, len(tries)), (["first", "second"], 3))
        again = threading.Event()
        kept.add(again.set)
        self.assertTrue(again.wait(20), "a thread that had nothing to do begins anew")

    def test_what_can_never_be_stored_is_said_and_blocks_nothing(self):
        """A mark of a take that was deleted; an error that nobody foresaw."""
        for error in (JournalError("FOREIGN KEY constraint failed", lasts=True), KeyError("planted")):
            kept, over = Notes(), threading.Event()

            def refused(error=error):
                raise error

            def see(kept=kept, over=over, error=error):
                self.assertIn(str(error).strip("'"), kept.problem)
                over.set()

            kept.add(refused)
            kept.add(see)
            self.assertTrue(over.wait(20))
            kept.stop()
            self.assertIsNone(kept.problem, "what was stored since then takes its place")

    def test_at_the_end_what_fails_is_let_go_and_nothing_hangs(self):
        tried = threading.Event()

        def refused():
            tried.set()
            raise JournalError("database is locked")

        kept = Notes()
        kept.add(refused)
        self.assertTrue(tried.wait(20))
        kept.stop()
        self.assertIsNone(kept._thread)


class ReachedTests(unittest.TestCase):
    def test_how_far_takes_have_come_is_noted_twice_a_second_and_read_again(self):
        with tempfile.TemporaryDirectory() as folder:
            run = Path(folder)
            self.assertEqual(read_reached(run), {})
            reached = Reached(run)
            reached.note({7: 1.5}, NS)
            reached.note({7: 1.6}, NS + NS // 10)
            self.assertEqual(read_reached(run), {7: 1.5})
            reached.note({7: 2.1, 8: 0.2}, 2 * NS)
            self.assertEqual(read_reached(run), {7: 2.1, 8: 0.2})
            for rubbish in ("", "[1]", '{"a": 1}', '{"1": null}', "\x00"):
                (run / "reached.json").write_text(rubbish)
                self.assertEqual(read_reached(run), {}, rubbish)
            (run / "reached.json").unlink()
        reached.note({7: 9.0}, 9 * NS)  # the folder is gone: nothing fails
