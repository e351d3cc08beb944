"""A rig's setup: its inputs, the recorded frame, the tracks, the recipe."""

from collections.abc import Collection
from dataclasses import dataclass, field, replace

from reel.core.errors import BadValueError
from reel.core.file import FilePlan, Recipe
from reel.core.frame import FrameSetup
from reel.core.line.input import InputSetup, signal_chain
from reel.core.line.own import remote_plan
from reel.core.roll import RollSetup, lapse_words
from reel.core.signal import rate_label
from reel.core.sound import MAX_TRACKS, TrackSetup

MAX_INPUTS = 6
MIX = "Mix of all"


@dataclass(frozen=True, slots=True, kw_only=True)
class RigSetup:
    """Everything that is chosen for one way of recording. The first input's picture is the one that the frame follows.

    With `mix_first` the file begins with one more track, in which all others are mixed.
    """

    inputs: tuple[InputSetup, ...]
    frame: FrameSetup
    tracks: tuple[TrackSetup, ...] = (TrackSetup(),)
    mix_first: bool = False
    recipe: Recipe
    roll: RollSetup = field(default_factory=RollSetup)

    def __post_init__(self) -> None:
        if not 1 <= len(self.inputs) <= MAX_INPUTS:
            raise BadValueError("Inputs", len(self.inputs), f"a rig has 1 to {MAX_INPUTS}")
        if not self.inputs[0].has_picture:
            raise BadValueError("First input", self.inputs[0].name, "it needs a picture; put it after one that has")
        names = [one.name.casefold() for one in self.inputs]
        if len(set(names)) < len(names):
            raise BadValueError("Inputs", ", ".join(names), "each has a name of its own")
        held = [one.origin.identity for one in self.inputs if one.origin.identity]
        if len(set(held)) < len(held):
            raise BadValueError("Inputs", ", ".join(held), "a device can be one of a rig's inputs only")
        if len(self.tracks) > MAX_TRACKS:
            raise BadValueError("Tracks", len(self.tracks), f"a rig has at most {MAX_TRACKS}")
        titles = [track.name.casefold() for track in self.tracks]
        if len({*titles, MIX.casefold()}) <= len(titles):
            raise BadValueError("Tracks", ", ".join(titles), f"each has a name of its own, and none is “{MIX}”")
        self._check_lapse()
        known = {"", *(one.name for one in self.inputs if one.has_picture)}
        if lost := self.frame.shown_inputs - known:
            raise BadValueError("Picture", min(lost), "no input of this name has a picture")

    def _check_lapse(self) -> None:
        """Raise BadValueError for a time-lapse of what has no pace of Reel's, or one that is no faster."""
        if not self.roll.is_lapse:
            return
        said = lapse_words(self.roll)
        if self.frame.as_it_comes:
            raise BadValueError("Time-lapse", said, "it needs a fixed rate; in Frame pictures keep their times")
        if self.recipe.as_sent:
            raise BadValueError(
                "Time-lapse", said, "in File all is recorded as it is sent, which keeps the sender's pace"
            )
        rate = self.frame.mode.rate
        if self.roll.lapse_at(rate) <= 1:
            raise BadValueError("Time-lapse", said, f"the frame has {rate_label(rate)} a second, which is more often")

    @property
    def picture(self) -> InputSetup:
        """The first input, whose picture the frame follows."""
        return self.inputs[0]

    def with_input(self, place: int, setup: InputSetup) -> "RigSetup":
        """Return the rig with another setup of the input at a place."""
        return replace(self, inputs=(*self.inputs[:place], setup, *self.inputs[place + 1 :]))

    def index_of(self, name: str) -> int:
        """Return the place of an input by the name that a piece has for it, "" for the first."""
        return next((place for place, one in enumerate(self.inputs) if one.name == name), 0)

    def has_sound_for(self, track: int, heard: frozenset[int]) -> bool:
        """Return whether an input whose place is among `heard` goes to a track, counted from 1."""
        return any(place in heard and track in one.sound.tracks for place, one in enumerate(self.inputs))


def file_plan(setup: RigSetup, heard: frozenset[int] | None = None) -> FilePlan:
    """Return what a rig's file is to hold; where a device records by itself, what that makes.

    `heard` are the places of the inputs that have sound; None takes all to have some. A track that no such input goes
    to is left out.
    """
    picture = setup.picture
    own, carried = picture.own, signal_chain(picture).carried
    if own is not None and carried is not None:
        return remote_plan(own, carried.signal.mode, setup.recipe, picture.name)
    places = frozenset(range(len(setup.inputs))) if heard is None else heard
    tracks = tuple(
        track.name for number, track in enumerate(setup.tracks, start=1) if setup.has_sound_for(number, places)
    )
    if setup.mix_first and tracks:
        tracks = (MIX, *tracks)
    if setup.roll.is_lapse:
        tracks = ()  # sound at many times its speed is noise
    frame = setup.frame
    lapse = setup.roll.lapse_at(frame.mode.rate)
    return FilePlan(recipe=setup.recipe, frame=frame.mode, as_it_comes=frame.as_it_comes, tracks=tracks, lapse=lapse)


def without_free_tracks(setup: RigSetup, among: Collection[int]) -> RigSetup:
    """Return a rig without those of some tracks (from 1) that nothing goes to; the others move up."""
    used = {track for one in setup.inputs for track in one.sound.tracks}
    kept = [number for number in range(1, len(setup.tracks) + 1) if number in used or number not in among]
    moved = {number: place for place, number in enumerate(kept, start=1)}
    inputs = tuple(
        replace(
            one, sound=replace(one.sound, tracks=tuple(moved[track] for track in one.sound.tracks if track in moved))
        )
        for one in setup.inputs
    )
    return replace(setup, inputs=inputs, tracks=tuple(setup.tracks[number - 1] for number in kept))
