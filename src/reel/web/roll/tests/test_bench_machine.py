"""`./reel bench-machine`, with a sample that is there and cells that take no time."""

import io
import json
from contextlib import nullcontext
from unittest.mock import patch

from django.core.management import call_command
from django.test import TestCase

from reel.core.file import VideoCodec
from reel.core.line import DeviceKind, propose
from reel.web.rigs import benching
from reel.web.rigs.actions import make_rig
from reel.web.rigs.tests.test_bench import sample_of
from reel.web.roll.management.commands import bench_machine
from reel.web.roll.management.commands.roll import CommandError
from reel.web.takes.tests.home import HomeMixin

CELLS = [(VideoCodec.H264, "ultrafast"), (VideoCodec.PRORES, "422 HQ")]


class BenchMachineTests(HomeMixin, TestCase):
    def run_bench(self, **options):
        said = io.StringIO()
        with (
            patch.object(benching, "take_fresh_sample", sample_of(2)),
            patch.object(benching, "CELL_S", 0.01),
            patch.object(benching, "SAFE", 1e9),
            patch.object(benching, "cells", lambda: CELLS),
            patch.object(bench_machine, "recorder_here", nullcontext),
        ):
            call_command("bench_machine", stdout=said, **options)
        return said.getvalue()

    def test_it_says_each_cell_at_each_size_in_words_and_as_json(self):
        with self.assertRaises(CommandError):
            self.run_bench()
        make_rig("Potting bench", propose(DeviceKind.CAMERA))
        words = self.run_bench(rig="potting BENCH")
        self.assertIn("Potting bench: 1280×720 at 30", words)
        for said in ("H.264 ultrafast  ", "ProRes 422 HQ  ", "H.264 ultrafast at 960×540", "ProRes 422 HQ at 640×360"):
            self.assertIn(said, words)
        rows = json.loads(self.run_bench(json=True))
        self.assertEqual([row["width_px"] for row in rows], [1280, 1280, 960, 960, 640, 640])
        for row in rows:
            self.assertAlmostEqual(row["headroom"], row["pictures_per_s"] / 30, delta=0.001)
