"""The walk of a line: ten hops, and the remedies of a loss."""

import time
from dataclasses import replace

from reel.core.line import Console, HopSetup, InputSetup, Simulated, remedies, signal_chain
from reel.core.signal import Mode

TEN = ("hdmi-2.1", "splitter-120", "hdmi-2.1", "splitter-120", "hdmi-2.1", "splitter-60", "hdmi-2.0", "splitter-60")
HOPS = tuple(HopSetup(model=model) for model in (*TEN, "hdmi-box", "usb-2"))
SETUP = InputSetup(
    name="Console",
    device=Console(mode=Mode.parse("1920x1080p60")),
    origin=Simulated(device="Console"),
    path=HOPS,
)
TIMES, ROUNDS = 20, 20


def walk_ms() -> float:
    """Give the milliseconds for one walk of ten hops, from the device to what goes on to the frame, each made anew.

    The least of some rounds: others use the machine too.
    """
    return min(_walks_ms() for _ in range(ROUNDS))


def _walks_ms() -> float:
    started = time.perf_counter()
    for _ in range(TIMES):
        signal_chain.cache_clear()
        signal_chain(SETUP)
    return (time.perf_counter() - started) / TIMES * 1000


def remedies_ms() -> float:
    """Give the milliseconds for finding the remedies of all losses of a line that was not walked before."""
    setup = replace(SETUP, path=HOPS[2:])
    started = time.perf_counter()
    for loss in signal_chain(setup).signal_path.losses:
        remedies(setup, loss)
    return (time.perf_counter() - started) * 1000
