import subprocess
import sys
import unittest
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.file import Recipe
from reel.core.frame import FrameSetup
from reel.core.line import Console, InputSetup, RigSetup, Simulated
from reel.core.signal import Mode
from reel.core.wire import from_json, from_plain, to_json, to_plain
from reel.options import ROOT

CONSOLE = InputSetup(
    name="Console", device=Console(mode=Mode.parse("1920x1080p60")), origin=Simulated(device="Console")
)
SETUP = RigSetup(
    inputs=(CONSOLE,),
    frame=FrameSetup(mode=Mode.parse("1280x720p30000/1001")),
    recipe=Recipe(keyframe_s=Fraction(1, 2)),
)


class WireTests(unittest.TestCase):
    def test_there_and_back(self):
        self.assertEqual(from_json(to_json(SETUP), RigSetup), SETUP)
        self.assertEqual(from_plain(to_plain(SETUP), RigSetup), SETUP)

    def test_every_wrong_field_is_refused(self):
        good = to_json(SETUP)
        for old, new in (
            (b'"quality":20', b'"quality":99'),
            (b'"quality":20', b'"quality":"x"'),
            (b'"container":"mp4"', b'"container":"webm"'),
            (b'"30000/1001"', b'"1/0"'),
            (b'"protected":false', b'"protected":1e309'),
            (b'"device":"Console"', b'"device":""'),
            (b'"kind":"console"', b'"kind":"phone"'),
            (b'"kind":"simulated"', b'"kind":7'),
            (b'"console"', b'"toaster"'),
            (b"}", b""),
        ):
            with self.subTest(new), self.assertRaises(BadValueError):
                self.assertIn(old, good)
                from_json(good.replace(old, new, 1), RigSetup)


AT_ONCE = """
import sys, threading
from reel.core.line import DeviceKind, RigSetup, propose
from reel.core.wire import from_json, from_plain, to_json, to_plain
sys.setswitchinterval(1e-6)
setup = propose(DeviceKind.CONSOLE)
data, plain, start = to_json(setup), to_plain(setup), threading.Barrier(12)
found = []
def read(number):
    start.wait()
    found.append(from_json(data, RigSetup) if number % 2 else from_plain(plain, RigSetup))
threads = [threading.Thread(target=read, args=(number,)) for number in range(12)]
[thread.start() for thread in threads]
[thread.join() for thread in threads]
sys.exit(found != [setup] * 12)
"""


class ThreadTests(unittest.TestCase):
    def test_many_threads_may_be_the_first_to_read_a_kind_of_value(self):
        """In processes of their own: where it goes wrong the interpreter itself crashes."""
        for _ in range(4):
            self.assertEqual(subprocess.run([sys.executable, "-c", AT_ONCE], cwd=ROOT / "src").returncode, 0)
