"""A rig's setup: the device and how it is set, and the recipe."""

import re
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.file import Recipe
from reel.core.signal import Mode

MAX_DRIFT_PPM = 500
_FEED_NAME = re.compile(r"[^/\\\x00-\x1f]{1,200}\Z")


class DeviceKind(StrEnum):
    """What makes the signal."""

    CONSOLE = "console"
    FEED = "feed"

    @property
    def label(self) -> str:
        """The kind in words."""
        return {"console": "Console", "feed": "Video feed"}[self.value]


CONSOLE_MODES = tuple(
    Mode(width_px=width, height_px=height, rate=Fraction(rate))
    for width, height, rate in (
        (1280, 720, 30),
        (1280, 720, 50),
        (1280, 720, 60),
        (1920, 1080, 24),
        (1920, 1080, 30),
        (1920, 1080, 60),
        (3840, 2160, 30),
    )
)


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceSetup:
    """How the device is set.

    A console sends `mode`, and its clock runs `drift_ppm` parts per million fast. A feed plays the file named `feed`
    in the feeds folder, over and over when `loop`.
    """

    kind: DeviceKind
    mode: Mode | None = None
    drift_ppm: float = 0.0
    feed: str | None = None
    loop: bool = True

    def __post_init__(self) -> None:
        if self.kind is DeviceKind.CONSOLE and self.mode not in CONSOLE_MODES:
            raise BadValueError(
                "Output mode",
                self.mode.label if self.mode else "none",
                "the console sends " + ", ".join(mode.label for mode in CONSOLE_MODES),
            )
        if not abs(self.drift_ppm) <= MAX_DRIFT_PPM:
            raise BadValueError("Clock drift", self.drift_ppm, f"it must be within ±{MAX_DRIFT_PPM} parts per million")
        if self.kind is DeviceKind.FEED and not (self.feed and _FEED_NAME.match(self.feed) and self.feed[0] != "."):
            raise BadValueError("Feed", self.feed or "nothing", "it is the name of a file in the feeds folder")


@dataclass(frozen=True, slots=True, kw_only=True)
class RigSetup:
    """Everything that is chosen for one way of recording."""

    device: DeviceSetup
    recipe: Recipe
