"""An error planted at each step of a take's life and in each thread: the recorder lives, says it, and rolls again."""

import errno
import os
from contextlib import contextmanager, suppress
from dataclasses import replace
from pathlib import Path
from unittest.mock import patch

import zmq

from reel.core.file import SoundFiles
from reel.core.frame import Arrangement, Piece, Place
from reel.core.line import DeviceKind, Simulated, propose, propose_input
from reel.core.media import Composer, JpegEncoder, MediaError, PartWriter, Shelf, Stroke, probe, sidecar_folder
from reel.core.media.soundfile import _CODECS, SoundFile
from reel.core.signal import NS
from reel.recorder.inputs.instruments import Instruments
from reel.recorder.inputs.reader import Reader
from reel.recorder.journal import JournalError
from reel.recorder.messages import (
    SOUND_TOPIC,
    Ask,
    Cut,
    Draw,
    Open,
    Pause,
    RefusedError,
    TakeSample,
    TestSync,
    UnreachableError,
)
from reel.recorder.recording.mixing import TrackMixer
from reel.recorder.recording.part_file import PartFile
from reel.recorder.rig import frames
from reel.recorder.rig.insets import Inset
from reel.recorder.rig.listening import Listening
from reel.recorder.rig.source import Source
from reel.recorder.rig.sync import SyncTest
from reel.recorder.run_files import BROADCAST
from reel.recorder.service import server
from reel.recorder.service.broadcast import Broadcast
from reel.recorder.service.journal_queue import JournalQueue
from reel.recorder.service.recorder import Recorder
from reel.recorder.tests.serving import LIGHT, QUICK, SMALL, ServerTestCase
from reel.recorder.tests.test_device_recorder import series
from reel.standins import RecordingDevice


@contextmanager
def planted(place, name, error, *, after=0, times=1):
    """Have a method raise `error` at its call number `after`, and at `times` calls from there on."""
    real, calls = getattr(place, name), []

    def failing(*arguments, **more):
        calls.append(1)
        if after < len(calls) <= after + times:
            raise error
        return real(*arguments, **more)

    with patch.object(place, name, failing):
        yield calls


def system_error(number):
    return OSError(number, os.strerror(number))


class FaultTests(ServerTestCase):
    rolled = LIGHT

    def assert_rolls_again(self):
        """The next roll works, whatever came before."""
        self.wait_for(lambda status: not status.rolls)
        take = self.start_roll()
        self.wait_for(lambda status: status.rolls and status.rolls[0].length_s > 0.2)
        self.client.ask(Cut(takes=(take,)))
        self.wait_for(lambda status: not status.rolls)
        ended = self.journal.ends[take]
        self.assertIsNone(ended.problem)
        self.assertGreater(probe(ended.path).video.frames, 4)
        self.assertEqual(list(self.folder.glob("*.rolling.*")), [])

    def assert_ended_by_itself(self, said, *, has_frames=True):
        """The take that rolls ends with its reason, and lies where the journal says."""
        self.wait_for(lambda status: not status.rolls)
        ended = self.journal.ends[len(self.journal.takes)]
        self.assertIn(said, ended.problem)
        self.assertIn(said, self.client.ask(Ask()).status.notice)
        if has_frames:
            self.assertGreater(probe(ended.path).video.frames, 0)
        return ended

    def test_in_reading_and_recording(self):
        for place, name, error, said in (
            (
                Reader,
                "_take_picture",
                ZeroDivisionError("planted"),
                "Reading the signal of Moss & Stone failed (planted)",
            ),
            (Reader, "_read_instruments", KeyError("planted"), "Reading the signal"),
            (TrackMixer, "place", ValueError("planted"), "Reading the signal"),
            (Composer, "compose", RuntimeError("planted"), "Reading the signal"),
            (PartWriter, "write_picture", system_error(errno.ENOSPC), "No space left on device"),
            (PartWriter, "write_picture", TypeError("planted"), "Writing the take failed (planted)"),
            (PartWriter, "write_samples", system_error(errno.EIO), "Input/output error"),
            (PartWriter, "close", MediaError(Path("a.mkv"), "could not be closed (planted)"), "could not be closed"),
        ):
            with self.subTest(name, error=error):
                self.start_roll()
                self.wait_for(lambda status: status.rolls[0].length_s > 0.5)
                with planted(place, name, error):
                    if name == "close":
                        self.cut()
                    self.assert_ended_by_itself(said, has_frames=name != "close")
                self.assert_rolls_again()

    def test_in_an_inset_and_in_drawing_the_take_goes_on(self):
        camera = replace(propose_input(DeviceKind.CAMERA), name="bench", origin=Simulated(device="bench"))
        corner = Piece(input="bench", place=Place(x_px=0, y_px=0, width_px=160, height_px=90))
        shown = Arrangement(pieces=(Piece(), corner))
        setup = replace(LIGHT, inputs=(*LIGHT.inputs, camera), frame=replace(LIGHT.frame, arrangements=(shown,)))
        stroke = Stroke(points=((0, 0), (100, 100)))
        for place, name in ((Inset, "feed"), (frames, "draw_stroke")):
            with self.subTest(name):
                take = self.start_roll(setup)
                self.wait_for(lambda status: status.rolls and status.rolls[0].length_s > 0.5)
                with planted(place, name, ZeroDivisionError("planted")) as calls:
                    if name == "draw_stroke":
                        with self.assertRaises(RefusedError) as raised:
                            self.client.ask(Draw(rig_id=1, stroke=stroke))
                        self.assertIn("planted", str(raised.exception))
                    self.wait_for(lambda status: calls)
                if name == "feed":
                    said = self.wait_for(lambda status: status.rigs and status.rigs[0].inputs[1].problem)
                    self.assertIn("Reading bench failed (planted)", said.rigs[0].inputs[1].problem)
                more_s = self.client.ask(Ask()).status.rolls[0].length_s + 0.7
                self.wait_for(lambda status, more_s=more_s: status.rolls[0].length_s > more_s)
                self.client.ask(Cut(takes=(take,)))
                self.wait_for(lambda status: not status.rolls)
                ended = self.journal.ends[take]
                self.assertIsNone(ended.problem)
                self.assertGreater(probe(ended.path).video.frames, 20)
                if name == "feed":
                    (lost,) = (one for one in ended.counts.inputs if one.name == "bench")
                    self.assertGreater(sum(hole.lost for hole in lost.pictures), 10)

    def test_in_beginning_the_next_of_a_series(self):
        for error in (ZeroDivisionError("planted"), RefusedError("The rig is busy (planted).")):
            with self.subTest(error=error), patch.object(RecordingDevice, "limit_ns", NS):
                with planted(Recorder, "_start", error, after=1):
                    self.start_roll(series())
                    self.wait_for(lambda status: not status.rolls)
                    said = self.wait_for(lambda status: "no other could begin" in (status.notice or ""))
                self.assertIn("planted", said.notice)
        self.assert_rolls_again()

    def test_at_the_first_picture(self):
        with planted(PartWriter, "write_picture", system_error(errno.EPERM)):
            self.start_roll()
            self.assert_ended_by_itself("Operation not permitted", has_frames=False)
        self.assert_rolls_again()

    def test_in_the_files_of_sound_beside_a_take(self):
        beside_too = replace(LIGHT, recipe=replace(LIGHT.recipe, sound_files=SoundFiles.FLAC))
        with planted(SoundFile, "write", system_error(errno.ENOSPC)):
            self.start_roll(beside_too)
            self.assert_ended_by_itself("No space left on device")
        self.start_roll(beside_too)
        self.wait_for(lambda status: status.rolls[0].length_s > 0.3)
        with planted(SoundFile, "close", MediaError(Path("1-camera.flac"), "could not be closed (planted)")):
            self.cut()
            self.assert_ended_by_itself("1-camera.flac could not be closed")
        with planted(Path, "mkdir", system_error(errno.EACCES)), self.assertRaises(RefusedError) as raised:
            self.start_roll(beside_too)
        self.assertIn("Permission denied", str(raised.exception))
        with patch.dict(_CODECS, {SoundFiles.FLAC: "none"}), self.assertRaises(RefusedError) as raised:
            self.start_roll(beside_too)
        self.assertIn("could not be opened for writing", str(raised.exception))
        kept = {part for ended in self.journal.ends.values() for part in (ended.path, sidecar_folder(ended.path))}
        self.assertLessEqual(set(self.folder.glob("*.[mfs][ko]*")), kept, "what was reserved is given back")
        self.assert_rolls_again()

    def test_in_taking_a_sample_nothing_is_left_and_the_rig_rolls(self):
        path = self.folder / "sample.mkv"
        self.wait_seen(1, LIGHT)
        for place, name, error, said in (
            (PartWriter, "__init__", MediaError(path, "could not be opened for writing (planted)"), "planted"),
            (PartWriter, "write_picture", system_error(errno.ENOSPC), "No space left on device"),
            (PartWriter, "close", MediaError(path, "could not be closed (planted)"), "could not be closed"),
        ):
            with self.subTest(name), planted(place, name, error), self.assertRaises(RefusedError) as raised:
                self.client.ask(TakeSample(rig_id=1, path=str(path), seconds=0.3))
            self.assertIn(said, str(raised.exception))
            self.assertEqual(list(self.folder.glob("sample*")), [], "nothing is left of it")
        self.assert_rolls_again()

    def test_in_listening_and_in_the_sync_test_the_take_goes_on(self):
        socket = zmq.Context.instance().socket(zmq.SUB)
        self.addCleanup(socket.close)
        socket.setsockopt(zmq.SUBSCRIBE, SOUND_TOPIC + b"1/mix")
        socket.connect(f"ipc://{self.folder / BROADCAST}")
        take = self.start_roll()
        self.assertTrue(socket.poll(90_000), "the mix is heard")
        for place, name in (
            (Listening, "take"),
            (Listening, "advance"),
            (Broadcast, "_send_sounds"),
            (SyncTest, "see"),
            (SyncTest, "hear"),
        ):
            with self.subTest(name), planted(place, name, ZeroDivisionError("planted")) as calls:
                self.client.ask(TestSync(rig_id=1, place=0))
                self.wait_for(lambda status, calls=calls: calls)
                while socket.poll(0):
                    socket.recv_multipart()
                self.assertTrue(socket.poll(90_000), "it is heard again")
        self.client.ask(Cut(takes=(take,)))
        self.assertIsNone(self.journal.ends[take].problem)
        self.assert_rolls_again()

    def test_before_anything_is_written_it_is_refused_and_leaves_nothing(self):
        for place, name, error, said in (
            (
                Shelf,
                "reserve",
                MediaError(Path("shelf"), "can't take a new file (Input/output error)"),
                "Input/output error",
            ),
            (PartWriter, "__init__", MediaError(Path("a.mkv"), "could not be opened for writing (planted)"), "planted"),
            (PartFile, "open", system_error(errno.EIO), "Input/output error"),
            (type(self.journal), "rolled", JournalError("database is locked"), "database is locked"),
        ):
            with self.subTest(name), planted(place, name, error), self.assertRaises(RefusedError) as raised:
                self.start_roll()
            self.assertIn(said, str(raised.exception))
            kept = {ended.path for ended in self.journal.ends.values()}
            self.assertEqual(set(self.folder.glob("*.m*")), kept, "what was reserved is given back")
            self.assert_rolls_again()

    def test_naming_and_storing(self):
        with planted(Shelf, "complete", MediaError(Path("a.mkv"), "can't be renamed (Permission denied)")):
            self.start_roll()
            self.wait_for(lambda status: status.rolls[0].length_s > 0.3)
            self.cut()
            ended = self.assert_ended_by_itself("Permission denied")
            self.assertIn(".rolling.", ended.path.name)
            ended.path.unlink()
        self.assert_rolls_again()
        with planted(type(self.journal), "closed", JournalError("database is locked"), times=2):
            take = self.start_roll()
            self.wait_for(lambda status: status.rolls[0].length_s > 0.3)
            self.cut()
            said = self.wait_for(lambda status: status.notice and not status.rolls).notice
            self.assertIn("database is locked", said)
            self.wait_for(lambda status: take in self.journal.ends and status.notice is None)
        self.assert_rolls_again()

    def test_in_answering_and_in_storing_again(self):
        with planted(server, "_reply", RuntimeError("planted"), times=2 * server.ANSWERERS) as calls:
            while len(calls) < 2 * server.ANSWERERS:
                with suppress(UnreachableError):
                    self.client.ask(Ask(), timeout_ms=50)
        self.assert_rolls_again()
        with (
            planted(type(self.journal), "closed", JournalError("database is locked"), times=3),
            planted(JournalQueue, "_try", RuntimeError("planted"), after=1),
        ):
            takes = []
            for said in ("Storing what happened failed (planted)", "database is locked"):
                takes.append(self.start_roll())
                self.wait_for(lambda status: status.rolls[0].length_s > 0.3)
                self.cut()
                self.wait_for(lambda status, said=said: said in (status.notice or "") and not status.rolls)
            self.wait_for(lambda status: status.notice is None)
            self.assertLessEqual(set(takes), set(self.journal.ends))

    def test_in_showing(self):
        self.client.ask(Open(rig_id=1, setup=LIGHT, viewer="page"))
        for place, name in ((JpegEncoder, "encode"), (Broadcast, "_read_subscriptions"), (Broadcast, "_send_status")):
            with self.subTest(name), planted(place, name, RuntimeError("planted"), times=3) as calls:
                self.assert_rolls_again()
                if name != "encode":  # nobody watches: nothing is encoded
                    self.wait_for(lambda status: len(calls) > 3)

    def test_a_figure_that_can_not_be_sent_costs_no_rig_its_page(self):
        """One rig's odd state is said of that rig alone; the other and its take go on."""
        take = self.start_roll()
        other = replace(propose(DeviceKind.TABLET), recipe=QUICK, frame=SMALL)
        self.client.ask(Open(rig_id=2, setup=other, viewer="page"))
        self.wait_for(lambda status: len(status.rigs) == 2 and status.rigs[1].picture.watched.per_s)
        said, real = "can't be said", Instruments.read

        def odd(instruments, signal, watched, levels, now_ns):
            found = real(instruments, signal, watched, levels, now_ns)
            is_other = signal is not None and signal.mode.width_px != 640
            return replace(found, watched=replace(watched, jitter_ms=float("nan"))) if is_other else found

        with patch.object(Instruments, "read", odd):
            status = self.wait_for(lambda status: said in (status.rigs[1].picture.problem or ""))
            self.assertEqual([rig.rig_id for rig in status.rigs], [1, 2])
            self.assertIsNone(status.rigs[0].picture.problem)
        status = self.wait_for(lambda status: status.rigs[1].picture.problem is None)
        self.assertEqual(status.rolls[0].take_id, take)
        self.cut()
        self.assert_rolls_again()

    def test_a_file_that_is_deleted_or_moved_while_it_rolls_is_noticed_at_once(self):
        self.start_roll()
        rolling = Path(self.wait_for(lambda status: status.rolls[0].length_s > 0.5).rolls[0].path)
        (written,) = self.folder.glob("*.rolling.*")
        moved = self.folder / "elsewhere" / "kept.mkv"
        moved.parent.mkdir()
        written.rename(moved)
        self.assertEqual(self.assert_ended_by_itself("was moved").path, moved)
        self.assertFalse(rolling.exists())
        self.assert_rolls_again()
        self.start_roll()
        self.wait_for(lambda status: status.rolls[0].length_s > 0.5)
        next(self.folder.glob("*.rolling.*")).unlink()
        self.assert_ended_by_itself("nothing of it is kept", has_frames=False)
        self.assert_rolls_again()

    def test_hold_before_the_first_picture_holds(self):
        with patch.object(Source, "take_picture", lambda *_: None):
            take = self.start_roll()
            self.client.ask(Pause(takes=(take,)))
            self.assertEqual(self.client.ask(Ask()).status.rolls[0].state, "holding")
        self.stop.wait(0.3)
        self.assertEqual(self.client.ask(Ask()).status.rolls[0].length_s, 0)
        self.client.ask(Cut(takes=(take,)))
        self.assert_ended_by_itself("nothing was recorded", has_frames=False)
        self.journal.ends[take].path.unlink()
        self.assert_rolls_again()
