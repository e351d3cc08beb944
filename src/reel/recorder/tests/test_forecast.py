"""What a recipe is said to cost, against what takes of the media room's rigs come to."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

from reel.core.file import ConstantBitrate, ConstantQuality, Measured, VariableBitrate, forecast
from reel.core.frame import FrameSetup
from reel.core.line import DeviceKind, file_plan, propose
from reel.core.media import Shelf
from reel.core.signal import Mode
from reel.recorder.inputs.drivers import openers_for
from reel.recorder.virtual import record

SMALL = FrameSetup(mode=Mode.parse("640x360p30"))
RIGS = {
    "console": replace(propose(DeviceKind.CONSOLE, {"hdmi-box"}), frame=SMALL),
    "phone": replace(propose(DeviceKind.PHONE), frame=SMALL),
}
SETTLES_S = 8


class ForecastTests(unittest.TestCase):
    def costs(self, setup, rate, rolled_s):
        """What is forecast where nothing was measured, and the bits a second that a take comes to."""
        setup = replace(setup, recipe=replace(setup.recipe, rate=rate))
        with tempfile.TemporaryDirectory() as folder:
            openers = openers_for(setup, (), Path(folder), lambda: 0)
            take = record(setup, openers, Shelf(Path(folder)), rig_name="rig", rolled_s=[rolled_s])
            length_s = take.counts.ticks / take.plan.tick_rate
            return forecast(take.plan), float(take.path.stat().st_size * 8 / length_s)

    def test_a_constant_and_a_variable_bitrate_are_kept_to_a_tenth(self):
        for name, setup in RIGS.items():
            for rate in (
                ConstantBitrate(bitrate_bps=1_500_000), VariableBitrate(bitrate_bps=250_000, max_bps=500_000),
            ):  # fmt: skip
                with self.subTest(name, rate=rate.kind):
                    said, got = self.costs(setup, rate, (0, SETTLES_S))
                    self.assertAlmostEqual(got / said.total_bps, 1, delta=0.1)

    def test_constant_quality_is_what_a_trial_measured_to_a_fifth(self):
        for name, setup in RIGS.items():
            with self.subTest(name):
                said, trial = self.costs(setup, ConstantQuality(quality=20), (0, 4))
                self.assertIsNone(said, "nothing is said before something was measured")
                _, got = self.costs(setup, ConstantQuality(quality=20), (4, 10))
                plan = replace(setup, recipe=replace(setup.recipe, rate=ConstantQuality(quality=20)))
                measured = forecast(file_plan(plan), Measured.of([round(trial)]))
                self.assertAlmostEqual(got / measured.total_bps, 1, delta=0.2)
