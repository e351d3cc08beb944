"""How the pictures of a take come onto the frames of what is made, where its fields, speed or rate change."""

from dataclasses import dataclass
from fractions import Fraction

# What is slowed down takes each picture once, unless that would give fewer frames a second than film has.
_SLOWEST = 20


@dataclass(frozen=True, slots=True, kw_only=True)
class Pace:
    """Ticks of a take come `ticks_per_s` a second, of each are made `per_tick` pictures, which are shown at `speed`,
    `frames_per_s` a second: one that is due twice is repeated, one that is never due is dropped, none are blended.

    It `fills` the ticks of a take whose pictures come at varying times: one without a picture shows the one before.
    """

    ticks_per_s: Fraction
    per_tick: Fraction = Fraction(1)
    speed: Fraction = Fraction(1)
    frames_per_s: Fraction
    fills: bool = False

    @property
    def step(self) -> Fraction:
        """Pictures from one frame to the next."""
        return self.ticks_per_s * self.per_tick * self.speed / self.frames_per_s

    @property
    def shows_each(self) -> bool:
        """Whether each picture is a frame of its own; a tick that has none stays empty then."""
        return self.step == 1 and self.per_tick.denominator == 1 and not self.fills

    def frames(self, ticks: int) -> int:
        """Return how many frames so many ticks take."""
        return max(1, round(ticks * self.per_tick / self.step))

    @property
    def words(self) -> str:
        """What becomes of pictures, for people; "" where nothing does."""
        if self.fills:
            return "times that vary become even: pictures are repeated, and dropped where two fall on one frame"
        if self.step == 1:
            return ""
        more = self.step - 1 if self.step > 1 else 1 - self.step
        part = f"{float(more / max(self.step, Fraction(1))) * 100:.3g} %"
        return f"{part} of the pictures are dropped" if self.step > 1 else f"{part} of the frames repeat a picture"


def natural_rate(ticks_per_s: Fraction, per_tick: Fraction, speed: Fraction) -> Fraction:
    """Return the rate that frames have where none is asked: that of the pictures, or slowed down with them."""
    pictures = ticks_per_s * per_tick
    return pictures * speed if speed < 1 and pictures * speed >= _SLOWEST else pictures
