import tempfile
import threading
import unittest
from pathlib import Path
from unittest.mock import patch

from reel.core.measure import Counts
from reel.core.roll import MarkedMoment
from reel.core.signal import NS
from reel.recorder.journal import Closed, JournalError
from reel.recorder.service import journal_queue
from reel.recorder.service.checkpoints import Reached, read_reached
from reel.recorder.service.journal_queue import JournalQueue

LOCKED = JournalError("database is locked")
END = Closed(path=Path("a.mkv"), counts=Counts())


class PlantedJournal:
    """Refuses the marks and ends of takes by the errors that wait for them, and keeps the order of what it stored."""

    def __init__(self, **errors):
        self.errors, self.stored, self.change = errors, [], threading.Condition()

    def marked(self, take_id, mark):
        self.store(take_id, mark.label)

    def closed(self, take_id, closed):
        self.store(take_id, "end")

    def store(self, take_id, what):
        with self.change:
            self.change.notify_all()
            if waiting := self.errors.get(f"{what}_{take_id}"):
                raise waiting.pop(0)
            self.stored.append((take_id, what))

    def wait_for(self, is_so):
        with self.change:
            return self.change.wait_for(is_so, 60)


def mark(label):
    return MarkedMoment(tick=0, label=label)


class JournalQueueTests(unittest.TestCase):
    def setUp(self):
        patched = patch.multiple(journal_queue, AGAIN_S=0.01, STOP_S=60)
        patched.start()
        self.addCleanup(patched.stop)

    def test_what_can_not_be_stored_now_is_tried_again_in_its_take_s_order_and_holds_up_no_other(self):
        journal = PlantedJournal(first_1=[LOCKED] * 50)
        kept = JournalQueue(journal)
        for take_id, label in ((1, "first"), (1, "second"), (2, "third")):
            kept.marked(take_id, mark(label))
        kept.closed(1, END)
        self.assertTrue(journal.wait_for(lambda: len(journal.stored) == 4))
        self.assertEqual(journal.stored, [(2, "third"), (1, "first"), (1, "second"), (1, "end")])
        kept.marked(3, mark("again"))
        self.assertTrue(journal.wait_for(lambda: (3, "again") in journal.stored), "an idle thread begins anew")

    def test_what_comes_while_another_take_s_fails_does_not_wait_for_its_next_try(self):
        class Overtaken(PlantedJournal):
            """Has something of another take come while the first one's is being refused."""

            def marked(self, take_id, mark):
                if take_id == 1 and not self.stored:
                    kept.marked(2, mark)
                super().marked(take_id, mark)

        journal = Overtaken(stuck_1=[LOCKED] * 10_000)
        kept = JournalQueue(journal)
        with patch.object(journal_queue, "AGAIN_S", 600):
            kept.marked(1, mark("stuck"))
            self.assertTrue(journal.wait_for(lambda: (2, "stuck") in journal.stored))
            kept.stop()

    def test_what_can_never_be_stored_is_said_and_blocks_nothing(self):
        """A mark of a take that was deleted; an error that nobody foresaw; a database that stays locked."""
        gone, odd = JournalError("FOREIGN KEY constraint failed", lasts=True), KeyError("planted")
        for error, limit_s in ((gone, 600), (odd, 600), (LOCKED, 0)):
            journal = PlantedJournal(lost_1=[error])
            kept = JournalQueue(journal)
            with patch.object(journal_queue, "LIMIT_S", limit_s):
                kept.marked(1, mark("lost"))
            kept.stop()
            self.assertIn("A mark is not kept. ", kept.problem)
            self.assertIn(str(error).strip("'"), kept.problem)
            kept.closed(1, END)
            kept.stop()
            self.assertEqual((journal.stored, kept.problem), ([(1, "end")], None), "what is stored takes its place")

    def test_the_end_of_a_take_is_tried_before_it_is_left_and_nothing_hangs_at_the_end(self):
        kept = JournalQueue(PlantedJournal(end_1=[LOCKED] * 10_000))
        kept.closed(1, END)
        self.assertIn("a.mkv is closed; its end is not stored yet", kept.problem)
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
