"""Listening: the sound of an open rig for whoever listens just now, treated and mixed as it would be recorded."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import TypeAlias

from reel.core.line import RigSetup, file_plan
from reel.core.signal import NS, FloatArray, Samples, Segment, SoundFormat
from reel.core.sound import TrackSetup
from reel.recorder.mixing import TrackMixer

# Which input is listened to, by its place; None for the mix of all that goes on a track.
Choice: TypeAlias = int | None
# Is given float32 (channels, samples), the instant of the first on the recorder's clock, and their format.
Give: TypeAlias = Callable[[FloatArray, int, SoundFormat], None]


class Listening:
    """Gives what is heard from `now_ns` on, in blocks, as soon as all of it has come. Used from one thread.

    `heard` are the formats of the inputs that have sound, by their place.
    """

    def __init__(
        self, setup: RigSetup, choice: Choice, heard: Mapping[int, SoundFormat], now_ns: int, give: Give
    ) -> None:
        chosen = _chosen(setup, choice)
        plan = file_plan(chosen, frozenset(heard))
        self._format = plan.recipe.sound
        self._segment = Segment(start_ns=now_ns, first_tick=0)
        self._mixer = TrackMixer(self, chosen, plan, dict(heard))
        self._give, self._given = give, 0

    def take(self, place: int, samples: Samples) -> None:
        """Take a block of an input, as its strip makes it."""
        self._mixer.place(place, samples, self._segment)

    def lose(self, place: int) -> None:
        """Take note that an input is gone."""
        self._mixer.lose(place)

    def advance(self, now_ns: int) -> None:
        """Give what is complete."""
        self._mixer.advance(self._segment, now_ns, is_behind=False)

    def offer_samples(self, data: FloatArray, track: int) -> None:
        """Take what is mixed: it is the only track."""
        at_ns = self._segment.start_ns + self._given * NS // self._format.rate_hz
        self._given += data.shape[1]
        self._give(data, at_ns, self._format)


def _chosen(setup: RigSetup, choice: Choice) -> RigSetup:
    """Give a rig with one track, to which only what was chosen goes."""
    inputs = tuple(
        replace(one, sound=replace(one.sound, tracks=(1,) if _is_chosen(setup, place, choice) else ()))
        for place, one in enumerate(setup.inputs)
    )
    return replace(setup, inputs=inputs, tracks=(TrackSetup(),), mix_first=False)


def _is_chosen(setup: RigSetup, place: int, choice: Choice) -> bool:
    return place == choice if choice is not None else bool(setup.inputs[place].sound.tracks)
