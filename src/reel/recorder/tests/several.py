"""Rigs of several inputs on the virtual clock, as the tests make them."""

import tempfile
import unittest
from pathlib import Path

from reel.core.file import ConstantQuality, Recipe
from reel.core.line import Microphone, file_plan
from reel.core.line.tests.rigs import feed_input, one
from reel.core.measure import prove
from reel.core.media import Shelf, probe
from reel.core.sound import SoundSetup, TrackSetup
from reel.recorder.virtual import record

QUICK = Recipe(effort="ultrafast", rate=ConstantQuality(quality=4))


def picture(**more):
    """The first input: a feed, since nothing is foretold of one."""
    return feed_input("garden.mp4", name="garden", **more)


def microphone(name, **sound):
    return one(Microphone(), name=name, sound=SoundSetup(**sound))


def tracks(*names):
    return tuple(TrackSetup(name=name) for name in names)


class RigTestCase(unittest.TestCase):
    """Takes of rigs of several inputs, on a shelf of their own."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.shelf = Shelf(Path(folder.name))

    def record(self, setup, openers, rolled_s=((0, 2),), **more):
        return record(setup, openers, self.shelf, rig_name="test", rolled_s=rolled_s, **more)

    def assert_proved(self, setup, take):
        facts = probe(take.path)
        differing = prove(file_plan(setup), facts=facts, counts=take.counts).differing
        self.assertEqual([line for line in differing if "bitrate" not in line.label], [])
