"""How a rig's takes roll: what comes before, when they are cut, what is done when something fails."""

import re
from dataclasses import dataclass, replace
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.file import parse_gigabytes, parse_length

COUNTDOWN_S = 10
DAY_S = 86_400
REACH_BACK_S = 30
CUT_GB = Fraction(10_000)
LAPSE = 3600
# Seconds from one frame of a time-lapse to the next.
EVERY_S = (Fraction(1, 10), Fraction(3600))
# How long a trial may be, and how long it usually is.
TRIAL_S = (2, 60, 6)
_CLOCK = re.compile(r"([01]\d|2[0-3]):[0-5]\d")


@dataclass(frozen=True, slots=True, kw_only=True)
class RollSetup:
    """How takes of a rig roll. 0 and "" leave a thing out; raises BadValueError for what is beyond its limits.

    A roll begins `countdown_s` after it is asked for, or with the `reach_back_s` before it. It is cut when it is
    `cut_after_s` long, from `cut_gb` (10⁹ bytes) on, at the time of day `cut_at` (`HH:MM`, this computer's), when the
    first input's signal has been gone for `gone_s`, black for `black_s` or without any change for `still_s`, and, with
    `cut_on_event`, when the device reports that it is no longer to be seen. Its file runs `lapse` times as fast as what
    it shows, or has one frame `every_s` seconds; the lengths here are those of what it shows. Where the encoder falls
    behind, the next part takes a lighter effort if it `may_lighten`. With `cue` the page that rolls it sounds at its
    begin and its end.
    """

    countdown_s: int = 0
    reach_back_s: int = 0
    cut_after_s: int = 0
    cut_gb: Fraction = Fraction(0)
    cut_at: str = ""
    gone_s: int = 300
    black_s: int = 0
    still_s: int = 0
    cut_on_event: bool = False
    lapse: int = 1
    every_s: Fraction = Fraction(0)
    may_lighten: bool = False
    cue: bool = False

    def __post_init__(self) -> None:
        for thing, value, least, most, unit in (
            ("Countdown", self.countdown_s, 0, COUNTDOWN_S, " s"),
            ("Pre-record", self.reach_back_s, 0, REACH_BACK_S, " s"),
            ("Cut after", self.cut_after_s, 0, DAY_S, " s"),
            ("Cut at a size", self.cut_gb, 0, CUT_GB, " GB"),
            ("Without a signal", self.gone_s, 0, DAY_S, " s"),
            ("Black", self.black_s, 0, DAY_S, " s"),
            ("Still", self.still_s, 0, DAY_S, " s"),
            ("Time-lapse", self.lapse, 1, LAPSE, "×"),
        ):
            if not least <= value <= most:
                raise BadValueError(thing, f"{float(value):g}{unit}", f"it is from {least} to {float(most):g}{unit}")
        if self.cut_at and not _CLOCK.fullmatch(self.cut_at):
            raise BadValueError("Cut at", self.cut_at, "it is a time of day, from 00:00 to 23:59")
        if self.every_s and not EVERY_S[0] <= self.every_s <= EVERY_S[1]:
            low, high = (f"{float(limit):g}" for limit in EVERY_S)
            raise BadValueError("A frame every", f"{float(self.every_s):g} s", f"it is from {low} to {high} s, or none")
        if self.every_s and self.lapse > 1:
            raise BadValueError(
                "Time-lapse", f"{self.lapse}×", "it goes by its speed or by the seconds of a frame, not by both"
            )
        if self.reach_back_s and (self.countdown_s or self.is_lapse):
            raise BadValueError(
                "Pre-record", f"{self.reach_back_s} s", "it goes with neither a countdown nor a time-lapse"
            )

    @property
    def is_lapse(self) -> bool:
        """Whether the file runs faster than what it shows."""
        return bool(self.every_s) or self.lapse > 1

    def lapse_at(self, rate: Fraction) -> Fraction:
        """Return how many times as fast as what it shows a file of `rate` frames a second runs."""
        return self.every_s * rate if self.every_s else Fraction(self.lapse)


def ending(setup: RollSetup, text: str) -> RollSetup:
    """Return a setup that is also cut by what is said: `23:30`, `4GB`, `gone:10s`, `black:10s`, `still:10s`, `locked`.

    Several are separated by commas. Raises BadValueError.
    """
    changes: dict[str, object] = {}
    for one in (part.strip() for part in text.split(",")):
        kind, _, length = one.partition(":")
        size = parse_gigabytes(one)
        if kind in ("gone", "black", "still"):
            changes[f"{kind}_s"] = round(parse_length(length or "10s"))
        elif size is not None and size > 0:
            changes["cut_gb"] = size
        elif one == "locked":
            changes["cut_on_event"] = True
        elif _CLOCK.fullmatch(one):
            changes["cut_at"] = one
        else:
            raise BadValueError("Until", one, "it reads like 23:30, 4GB, gone:10s, black:10s, still:10s or locked")
    return replace(setup, **changes)  # type: ignore[arg-type]  # by the names above
