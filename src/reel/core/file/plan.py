"""What one file is to hold: the recorded frame, the tracks, and the recipe by which both are written."""

from dataclasses import dataclass
from fractions import Fraction

from reel.core.file.naming import slug
from reel.core.file.recipe import Recipe, SoundFiles
from reel.core.signal import Mode


@dataclass(frozen=True, slots=True, kw_only=True)
class FilePlan:
    """A file before it is written: `frame` is the picture's size and rate, `tracks` are the names of its sound tracks.

    Pictures are fitted to the frame's rate, or, when `as_it_comes`, keep the times at which they arrive.
    """

    recipe: Recipe
    frame: Mode
    as_it_comes: bool = False
    tracks: tuple[str, ...] = ()

    @property
    def tick_rate(self) -> Fraction:
        """Ticks per second of a take: the frame's rate, or milliseconds when pictures keep their arrival times."""
        return Fraction(1000) if self.as_it_comes else self.frame.rate

    @property
    def sound_files(self) -> tuple[str, ...]:
        """The names of the files beside it, one for each track; none where none were asked for."""
        kind = self.recipe.sound_files
        if kind is SoundFiles.NONE:
            return ()
        return tuple(f"{number}-{slug(name)}.{kind.value}" for number, name in enumerate(self.tracks, start=1))

    @property
    def keyframe_ticks(self) -> int:
        """Frames from one keyframe to the next."""
        return max(1, round(self.recipe.keyframe_s * self.frame.rate))
