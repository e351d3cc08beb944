"""The sync test on the virtual clock: planted delays are found, and a take that is set by it is in step."""

import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory

from reel.core.line import DeviceKind, Simulated, propose, propose_input
from reel.core.measure.claps import claps_in
from reel.core.media import Shelf
from reel.core.signal import NS, Mode
from reel.recorder.clock import VirtualClock
from reel.recorder.inputs.drivers import openers_for
from reel.recorder.rig.source import Source
from reel.recorder.rig.sync import SYNC_S
from reel.recorder.tests.reading import SMALL
from reel.recorder.virtual import record
from reel.standins import Claps, Fault, Scenario
from reel.standins.plain import opener

CAMERA, NEAR, FAR, CHAT = 1, 2, 3, 4


def bench():
    """A console with a camera, two microphones and a party chat."""
    names = {DeviceKind.CAMERA: "camera", DeviceKind.MICROPHONE: "near", DeviceKind.CHAT: "chat"}
    camera, near, chat = (replace(propose_input(kind), name=name) for kind, name in names.items())
    camera = replace(camera, device=replace(camera.device, mode=Mode.parse("640x480p30")))
    far = replace(near, name="far", origin=Simulated(device="far"))
    rig = propose(DeviceKind.CONSOLE)
    return replace(rig, inputs=(rig.picture, camera, near, far, chat))


class Bench:
    """The bench as it is opened on a virtual clock, with somebody who claps."""

    def __init__(self, setup, *scenarios):
        self.clock, self.claps = VirtualClock(), Claps()
        openers = openers_for(setup, scenarios, Path("/nowhere"), self.clock.now_ns, self.claps)
        if setup.picture.device.kind is DeviceKind.CONSOLE:  # what it shows does not matter
            openers = (opener(mode=SMALL), *openers[1:])
        self.source = Source(setup, openers, self.clock)
        self.source.run_until(NS)

    def test(self, place=CAMERA):
        self.source.test_sync(place)
        self.claps.clap(self.clock.now_ns())
        self.source.run_until(self.clock.now_ns() + (SYNC_S + 1) * NS)
        return self.source.sync.status(self.clock.now_ns())


class SyncTests(unittest.TestCase):
    def test_planted_delays_are_found_within_5_ms(self):
        setup = bench()
        scenarios = (
            Scenario(),
            Scenario(lag_ms=90),
            Scenario(lag_ms=15, drift_ppm=50),
            Scenario(lag_ms=300, far=True),
            Scenario(),
        )
        found = Bench(setup, *scenarios).test()
        self.assertEqual(found.left_s, 0)
        self.assertNotIn(0, found.sounds, "what has a picture of its own is in step with that")
        for place, offset_ms in ((NEAR, -75), (FAR, 210)):
            with self.subTest(place):
                self.assertAlmostEqual(found.sounds[place].offset_ms, offset_ms, delta=5)
                self.assertLess(found.sounds[place].within_ms, 5)
                self.assertGreaterEqual(len(found.sounds[place].claps_ms), 3)
        self.assertIsNone(found.sounds[CHAT].offset_ms, "those on the line hear no claps")

    def test_what_fails_meanwhile_gives_no_figure(self):
        setup = bench()
        fails = Scenario(fault=Fault.PULLED, from_s=3)
        found = Bench(setup, Scenario(), Scenario(), fails).test()
        self.assertIsNone(found.sounds[NEAR].offset_ms, "two claps are too few")
        self.assertIsNotNone(found.sounds[FAR].offset_ms)
        blind = Bench(setup, Scenario(), fails).test()
        self.assertEqual([found.offset_ms for found in blind.sounds.values()], [None] * 4)
        self.assertGreater(blind.clicks[NEAR], 5)

    def test_a_take_that_is_set_by_it_is_in_step(self):
        """In the file flash and click fall together, but for the half picture by which a frame's time is rounded."""
        inputs = bench().inputs
        setup = replace(propose(DeviceKind.CAMERA), inputs=(inputs[CAMERA], inputs[NEAR]))
        scenarios = (Scenario(lag_ms=180), Scenario(lag_ms=20))
        delay_ms = Bench(setup, *scenarios).test(place=0).sounds[1].delay_ms
        silent, heard = (
            replace(one, sound=replace(one.sound, delay_ms=delay_ms, tracks=tracks))
            for one, tracks in zip(setup.inputs, ((), (1,)), strict=True)
        )
        clock, claps = VirtualClock(), Claps()
        claps.clap(NS)
        openers = openers_for(setup, scenarios, Path("/nowhere"), clock.now_ns, claps)
        setup = replace(setup, inputs=(silent, heard))
        with TemporaryDirectory() as folder:
            take = record(setup, openers, Shelf(Path(folder)), rig_name="Bench", rolled_s=[(1, 8)], clock=clock)
            (claps,) = claps_in(take.path)
        found = claps.reading
        self.assertGreaterEqual(len(found.claps_ms), 4)
        self.assertAlmostEqual(found.offset_ms, 0, delta=1000 / 60 + 5)
