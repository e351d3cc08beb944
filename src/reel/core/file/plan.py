"""What one file is to hold: the recorded frame, the tracks, and the recipe by which both are written."""

import datetime
from dataclasses import dataclass
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.file.levels import BITS_FACTORS, level_of, min_level
from reel.core.file.naming import NameFacts, slug
from reel.core.file.rate import VariableBitrate
from reel.core.file.recipe import Recipe, SoundFiles
from reel.core.signal import Mode, Signal, rate_label

# Where a bitrate is set, a decoder's buffer is held full of so many seconds of the most (ITU-T H.264, annex C).
BUFFER_S = Fraction(1, 2)


@dataclass(frozen=True, slots=True, kw_only=True)
class FilePlan:
    """A file before it is written: `frame` is the picture's size and rate, `tracks` are the names of its sound tracks.

    Pictures are fitted to the frame's rate, or, when `as_it_comes`, keep the times at which they arrive. The file runs
    `lapse` times as fast as what it shows, which is more than 1 of a time-lapse. Of one that is `made_of` others
    nothing is asked of keyframes and bitrate: keyframes stand at joints too, and a size was asked, or what was kept.
    """

    recipe: Recipe
    frame: Mode
    as_it_comes: bool = False
    tracks: tuple[str, ...] = ()
    lapse: Fraction = Fraction(1)
    made_of: bool = False

    @property
    def tick_rate(self) -> Fraction:
        """Ticks per second of a take: the frame's rate, or milliseconds when pictures keep their arrival times."""
        return Fraction(1000) if self.as_it_comes else self.frame.rate

    @property
    def pace(self) -> Fraction:
        """Ticks per second of what is recorded: fewer than `tick_rate` of a time-lapse."""
        return self.tick_rate / self.lapse

    @property
    def signal(self) -> Signal:
        """The picture as the encoder is given it."""
        recipe = self.recipe
        return Signal(mode=self.frame, pixels=recipe.stored.pixels, matrix=recipe.matrix, range=recipe.range)

    @property
    def sound_files(self) -> tuple[str, ...]:
        """The names of the files beside it, one for each track; none where none were asked for."""
        kind = self.recipe.sound_files
        if kind is SoundFiles.NONE:
            return ()
        return tuple(f"{number}-{slug(name)}.{kind.value}" for number, name in enumerate(self.tracks, start=1))

    def named(self, rig: str, at: datetime.datetime) -> NameFacts:
        """Return what the file's name may be made of, for a take of `rig` that begins at a time."""
        frame = self.frame
        codec = "as sent" if self.recipe.as_sent else self.recipe.codec_facts.label
        return NameFacts(rig=rig, at=at, size=frame.size_label, rate=rate_label(frame.rate), codec=codec)

    @property
    def keyframe_ticks(self) -> int:
        """Frames from one keyframe to the next."""
        return 1 if self.recipe.codec_facts.is_intra else max(1, round(self.recipe.keyframe_s * self.frame.rate))

    @property
    def profile(self) -> str:
        """What the file names its profile; "" where it names none."""
        named = self.recipe.stored.profile
        return self.recipe.codec_facts.intra_profiles.get(named, named) if self.keyframe_ticks == 1 else named

    @property
    def part_ticks(self) -> int | None:
        """Ticks after which a part ends; None where no length is set."""
        minutes = self.recipe.part_minutes
        return round(minutes * 60 * self.tick_rate) if minutes else None

    @property
    def part_bytes(self) -> int | None:
        """Bytes from which on a part ends; None where no size is set."""
        return round(self.recipe.part_gb * 10**9) or None

    @property
    def max_bps(self) -> int | None:
        """The most bits in a second that the recipe lets pictures have; None where they decide."""
        rate = self.recipe.rate
        return rate.max_bps if isinstance(rate, VariableBitrate) else rate.target_bps

    @property
    def second_bits(self) -> int | None:
        """The most bits that any second may have: those of the bitrate, and the buffer; None where pictures decide."""
        return None if self.max_bps is None else round(self.max_bps * (1 + BUFFER_S))

    @property
    def _bits_factor(self) -> Fraction:
        return BITS_FACTORS.get(self.recipe.stored.profile, Fraction(1))

    @property
    def level(self) -> str:
        """The codec's level: the chosen one, or the smallest that holds the frame; "" where it has none."""
        found = min_level(self.recipe.codec_facts.levels, self.frame, self.max_bps, self._bits_factor)
        return self.recipe.level or (found.name if found else "")

    def check(self) -> None:
        """Raise BadValueError when the recipe can't hold a frame of this size and rate."""
        codec, recipe, frame = self.recipe.codec_facts, self.recipe, self.frame
        across, down = sorted((frame.width_px, frame.height_px), reverse=True)
        if across > codec.limits_px[0] or down > codec.limits_px[1]:
            limit = f"{codec.label} holds up to {codec.limits_px[0]}×{codec.limits_px[1]}"
            raise BadValueError("Frame", frame.size_label, limit)
        if frame.width_px < codec.min_px[0] or frame.height_px < codec.min_px[1]:
            limit = f"{codec.label} holds {codec.min_px[0]}×{codec.min_px[1]} and more"
            raise BadValueError("Frame", frame.size_label, limit)
        if codec.picture_rates and (self.as_it_comes or frame.rate not in codec.picture_rates):
            known = ", ".join(rate_label(rate) for rate in codec.picture_rates)
            asked = "a variable rate" if self.as_it_comes else rate_label(frame.rate)
            raise BadValueError("Rate", asked, f"{codec.label} takes {known} pictures a second, fixed")
        if not codec.levels:
            return
        least = min_level(codec.levels, frame, self.max_bps, self._bits_factor)
        if least is None:
            limit = f"no level of {codec.label} does: {codec.levels[-1].lacks(frame, self.max_bps, self._bits_factor)}"
            raise BadValueError("Frame", f"{frame.label}", limit)
        chosen = level_of(codec.levels, recipe.level)
        if chosen is not None and (lacks := chosen.lacks(frame, self.max_bps, self._bits_factor)):
            raise BadValueError("Level", chosen.name, f"{lacks}; {codec.label} needs {least.name} for this")
