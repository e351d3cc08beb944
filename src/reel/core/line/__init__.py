"""The line: a rig's setup, the walk from the device to the file, losses."""

from reel.core.line.rig import CONSOLE_MODES, FEED_PROTOCOLS, DeviceKind, DeviceSetup, RigSetup
from reel.core.line.walk import STAGES, Loss, Stage, framed_signal, sent_signal, walk

__all__ = [
    "CONSOLE_MODES",
    "FEED_PROTOCOLS",
    "STAGES",
    "DeviceKind",
    "DeviceSetup",
    "Loss",
    "RigSetup",
    "Stage",
    "framed_signal",
    "sent_signal",
    "walk",
]
