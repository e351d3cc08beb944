"""Rounds of opening and closing rigs: what a test of memory runs in a process of its own."""

import threading
from pathlib import Path

from reel.core.line import DeviceKind, propose
from reel.recorder.messages import Leave
from reel.recorder.tests.serving import LIGHT, ServerTestCase


class RoundsTests(ServerTestCase):
    def test_what_a_rig_held_is_gone_when_it_is_closed(self):
        """Memory within a tenth of that after the third round, threads no more than in the first three.

        A thread that is just ending counts in its round; what leaks a thread a round has more in each later one. A
        computer that was busy in a round may have read further ahead in it: what leaks never comes back, so that more
        rounds tell the two apart.
        """

        def once():
            for rig_id, setup in enumerate(
                (LIGHT, propose(DeviceKind.DECK, {"analogue-box"}), propose(DeviceKind.PHONE)), 1
            ):
                self.wait_seen(rig_id, setup)
                self.client.ask(Leave(rig_id=rig_id, viewer="page"))
            # a closed rig is no longer said, and its thread still lets the device go
            reading = [thread for thread in threading.enumerate() if thread.name.startswith("Reading the signal")]
            self.wait_for(lambda status: not status.rigs and not any(thread.is_alive() for thread in reading))
            return len(list(Path("/proc/self/task").iterdir())), int(Path("/proc/self/statm").read_text().split()[1])

        rounds = [once() for _ in range(7)]
        while rounds[-1][1] > 1.1 * rounds[2][1] and len(rounds) < 20:
            rounds.append(once())
        threads = [count for count, _ in rounds]
        self.assertLessEqual(min(threads[-3:]), max(threads[:3]))
        self.assertLess(rounds[-1][1], 1.1 * rounds[2][1])


def load_tests(loader, tests, pattern):  # what is imported is run by its own module
    return loader.loadTestsFromTestCase(RoundsTests)
