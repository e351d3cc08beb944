"""Listening: the sound of an open rig for whoever listens just now, treated and mixed as it would be recorded."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import partial
from typing import TypeAlias

from reel.core.line import RigSetup, file_plan
from reel.core.roll import RollSetup
from reel.core.signal import NS, FloatArray, Samples, Segment, SoundFormat
from reel.core.sound import TrackSetup
from reel.recorder.guard import attempt
from reel.recorder.recording.mixing import TrackMixer

# Which input is listened to, by its place; None for the mix of all that goes on a track.
Choice: TypeAlias = int | None
# Is given float32 (channels, samples), the instant of the first on the recorder's clock, and their format.
GiveSound: TypeAlias = Callable[[Choice, FloatArray, int, SoundFormat], None]
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
        self._mixer.advance(self._segment, now_ns, is_behind=False)

    def offer_samples(self, data: FloatArray, track: int) -> None:
        """Take what is mixed: it is the only track."""
        at_ns = self._segment.start_ns + self._given * NS // self._format.rate_hz
        self._given += data.shape[1]
        self._give(data, at_ns, self._format)


class Listeners:
    """All who listen to an open rig just now: `listened` says to what, `sound` is handed it. Used from one thread."""

    def __init__(self, listened: Callable[[], frozenset[Choice]], sound: GiveSound) -> None:
        self._listened, self._sound = listened, sound
        self._listenings: dict[Choice, Listening] = {}

    def clear(self) -> None:
        """Begin anew, since the rig is set otherwise."""
        self._listenings.clear()

    def advance(self, setup: RigSetup, heard: Mapping[int, SoundFormat], now_ns: int, *, gives_way: bool) -> None:
        """Give those who listen what has come; nothing while that `gives_way` to recording."""
        wanted = frozenset() if gives_way else self._listened()
        for choice in self._listenings.keys() - wanted:
            del self._listenings[choice]
        for choice in wanted - self._listenings.keys():
            give = partial(self._sound, choice)
            self._listenings[choice] = Listening(setup, choice, heard, now_ns, give)
        self.give(partial(Listening.advance, now_ns=now_ns))

    def give(self, give: Callable[[Listening], None]) -> None:
        """Give something to all who listen; where that fails they begin anew, and the take goes on."""
        for choice, listening in list(self._listenings.items()):
            if attempt("Listening", partial(give, listening)):
                del self._listenings[choice]


def _chosen(setup: RigSetup, choice: Choice) -> RigSetup:
    """Return a rig with one track, to which only what was chosen goes."""
    inputs = tuple(
        replace(one, sound=replace(one.sound, tracks=(1,) if _is_chosen(setup, place, choice) else ()))
        for place, one in enumerate(setup.inputs)
    )
    return replace(setup, inputs=inputs, tracks=(TrackSetup(),), mix_first=False, roll=RollSetup())


def _is_chosen(setup: RigSetup, place: int, choice: Choice) -> bool:
    return place == choice if choice is not None else bool(setup.inputs[place].sound.tracks)
