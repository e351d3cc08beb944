"""Devices that record by themselves, told to start and stop in real time."""

from fractions import Fraction
from unittest.mock import patch

from reel.core.line import Connector, DeviceKind, HopSetup, propose
from reel.core.line.own_settings import OwnSettings
from reel.core.line.tests.rigs import with_picture
from reel.core.media import probe
from reel.core.roll import CutBy
from reel.core.signal import NS
from reel.recorder.messages import (
    AddMark,
    Cut,
    Open,
    Pause,
    RefusedError,
    StartRoll,
)  # fmt: skip
from reel.recorder.tests.serving import ServerTestCase, to_roll
from reel.standins import Fault, RecordingDevice, Scenario


def series():
    """A phone that records by itself for a minute, and then again."""
    own = OwnSettings(longer_px=1024, rate=30, bitrate_bps=3_000_000, limit_s=60, again=True)
    path = (HopSetup(model="own-recorder", own=own),)
    return with_picture(propose(DeviceKind.PHONE), device={"out": Connector.STORAGE}, path=path)


class DeviceRecorderTests(ServerTestCase):
    def test_a_device_that_records_by_itself_is_told_to_start_and_stop(self):
        headset = propose(DeviceKind.HEADSET)
        for out, hop, stays in (
            (Connector.PAIRED, "developer-link", False),
            (Connector.STORAGE, "own-recorder", True),
        ):
            with self.subTest(hop):
                setup = with_picture(headset, device={"out": out}, path=(HopSetup(model=hop),))
                self.assertEqual(self.client.ask(Open(rig_id=1, setup=setup)).status.rigs, ())
                take = self.start_roll(setup)
                self.wait_for(lambda status: status.rolls[0].length_s > 0.5)
                self.client.ask(AddMark(takes=(take,), label="a jay"))
                with self.assertRaises(RefusedError):
                    self.client.ask(Pause(takes=(take,)))
                self.client.ask(Cut(takes=(take,)))
                self.wait_for(lambda status: not status.rolls)
                ended = self.journal.ends[take]
                self.assertEqual((ended.problem, ended.on_device), (None, "headset" if stays else ""))
                made = self.folder / "devices" / "headset" / ended.path.name
                self.assertEqual(ended.path, made if stays else self.folder / ended.path.name)
                self.assertEqual(ended.path.read_bytes(), made.read_bytes(), "all of it came over")
                facts = probe(ended.path)
                self.assertEqual(facts.video.frames, ended.counts.ticks)
                self.assertEqual((facts.video.width_px, facts.video.height_px), (960, 1000))
        paired = with_picture(headset, device={"out": Connector.PAIRED}, path=(HopSetup(model="developer-link"),))
        with self.assertRaises(RefusedError) as raised:
            self.start_roll(paired, scenario=Scenario(fault=Fault.NOT_PAIRED))
        self.assertIn("code", str(raised.exception))

    def test_a_trial_of_a_device_that_records_by_itself_comes_over(self):
        setup = with_picture(
            propose(DeviceKind.PHONE), device={"out": Connector.STORAGE}, path=(HopSetup(model="own-recorder"),)
        )
        take = self.client.ask(StartRoll(rigs=(to_roll(setup),), length_s=Fraction(2), is_trial=True)).takes[0]
        self.wait_for(lambda status: not status.rolls)
        ended = self.journal.ends[take]
        self.assertEqual((ended.problem, ended.on_device, ended.ended_by), (None, "", CutBy.LENGTH))
        self.assertGreaterEqual(probe(ended.path).video.frames, 60)

    def test_a_limit_ends_a_take_and_the_next_of_the_series_begins(self):
        setup = series()
        with patch.object(RecordingDevice, "limit_ns", 6 * NS):
            first = self.start_roll(setup)
            status = self.wait_for(lambda status: [roll for roll in status.rolls if roll.take_id != first])
            second = status.rolls[0].take_id
            self.client.ask(Cut(takes=(second,)))
            self.wait_for(lambda status: not status.rolls)
        self.assertEqual(self.journal.ends[first].ended_by, CutBy.LIMIT)
        self.assertIsNone(self.journal.ends[first].problem)
        self.assertLessEqual(probe(self.journal.ends[first].path).video.frames, 180)
        self.assertEqual(self.journal.takes[second - 1].follows, first)
        self.assertEqual(self.journal.ends[second].ended_by, CutBy.PERSON, "a series ends with the press")

    def test_a_device_that_is_stopped_while_it_counts_down_has_recorded_nothing(self):
        own = OwnSettings(rate=30, bitrate_bps=3_000_000, countdown_s=10)
        setup = with_picture(
            propose(DeviceKind.PHONE),
            device={"out": Connector.STORAGE},
            path=(HopSetup(model="own-recorder", own=own),),
        )
        take = self.start_roll(setup)
        counting = self.wait_for(lambda status: [roll for roll in status.rolls if roll.starts_in_s])
        self.assertEqual(counting.rolls[0].length_s, 0)
        self.client.ask(Cut(takes=(take,)))
        self.wait_for(lambda status: not status.rolls)
        self.assertTrue(self.journal.ends[take].is_called_off)
        self.assertEqual(list((self.folder / "devices" / "phone").iterdir()), [])
