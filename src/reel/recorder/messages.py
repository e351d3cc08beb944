"""What web and recorder say to each other: plain values, checked on arrival."""

from dataclasses import dataclass, field
from enum import StrEnum
from fractions import Fraction
from typing import get_args

from reel.core.errors import BadValueError, ReelError
from reel.core.line import RigSetup
from reel.core.measure import Alarm, Bars, Counts, FieldTest, Watched
from reel.core.media import Loud, Stroke
from reel.core.roll import TRIAL_S
from reel.core.signal import DeviceEvent, Need, Signal, SoundFormat
from reel.core.sound import BalanceReading, Level, SyncReading
from reel.standins.scenario import Fault, Scenario

STATUS_TOPIC = b"status"
PICTURE_TOPIC = b"picture/"
# Followed by the rig, a slash, and the input's place or MIX.
SOUND_TOPIC = b"sound/"
MIX = "mix"
MAX_LABEL = 120


class RefusedError(ReelError, RuntimeError):
    """Raised when the recorder can't do what was asked in its present state; its text says why and what to do."""


class NotNowError(RefusedError):
    """Raised when what was asked can't be done just now: something rolls, is to roll, or does the same."""


class UnreachableError(ReelError, ConnectionError):
    """Raised when the recorder does not answer in time."""

    def __init__(self) -> None:
        super().__init__("The recorder does not answer; it may be starting. Try again in a moment.")


@dataclass(frozen=True, slots=True, kw_only=True)
class Open:
    """Open a rig, or keep it open for another few seconds; another setup or other scenarios than before open it anew.

    `scenarios` say how its inputs behave where they are simulated, in their order; those left out behave well. `viewer`
    names the page that looks on; while it does, the rig's devices are its own.
    """

    rig_id: int
    setup: RigSetup
    scenarios: tuple[Scenario, ...] = ()
    rig_name: str = ""
    viewer: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Leave:
    """A page no longer looks on: once none does, another rig may have the device at once."""

    rig_id: int
    viewer: str


@dataclass(frozen=True, slots=True, kw_only=True)
class _OfInput:
    """What is asked of an input of an open rig, by its place; what comes of it is in the rig's status."""

    rig_id: int
    place: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class TestFields(_OfInput):
    """Begin a field test."""


@dataclass(frozen=True, slots=True, kw_only=True)
class FindBars(_OfInput):
    """Look for black bars in what arrives."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Simulate(_OfInput):
    """Have something fail of a simulated input from now on, also while it rolls; None has all work again."""

    fault: Fault | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class TestSync(_OfInput):
    """Begin a sync test: the input is watched for flashes, each of the rig that has sound is listened to for clicks."""


@dataclass(frozen=True, slots=True, kw_only=True)
class TakeSample:
    """Record a moment of an open rig's frame without loss to a file at `path`: for measuring, no take."""

    rig_id: int
    path: str
    seconds: float = 2.0


@dataclass(frozen=True, slots=True, kw_only=True)
class RigToRoll:
    """A rig, of which a take is rolled; `folder` is the shelf that it is written to, "" for the home's.

    `shelf_key` is what that is known by, "" where it is not marked.
    """

    rig_id: int
    rig_name: str
    setup: RigSetup
    scenarios: tuple[Scenario, ...] = ()
    folder: str = ""
    shelf_key: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class StartRoll:
    """Roll a take of each of some rigs, all from the same instant on; where one can't, none does.

    `length_s` is how long they are, instead of what the rigs say; 0 leaves it to them. A trial has a length, and
    neither a countdown nor what was before it. `follows` is the id of the take that it goes on from, None for none.
    """

    rigs: tuple[RigToRoll, ...]
    length_s: Fraction = Fraction(0)
    is_trial: bool = False
    follows: int | None = None

    def __post_init__(self) -> None:
        if self.is_trial and not TRIAL_S[0] <= self.length_s <= TRIAL_S[1]:
            raise BadValueError("Trial", f"{float(self.length_s):g} s", f"it is from {TRIAL_S[0]} to {TRIAL_S[1]} s")
        if not self.rigs or len({one.rig_id for one in self.rigs}) < len(self.rigs):
            raise ValueError("a roll has one or more rigs, each once")


@dataclass(frozen=True, slots=True, kw_only=True)
class _OfTakes:
    """What is asked of takes that roll, by their ids, at one instant."""

    takes: tuple[int, ...]

    def __post_init__(self) -> None:
        if not self.takes:
            raise ValueError("it names at least one take")


@dataclass(frozen=True, slots=True, kw_only=True)
class Pause(_OfTakes):
    """Pause takes."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Resume(_OfTakes):
    """Go on after a hold."""


@dataclass(frozen=True, slots=True, kw_only=True)
class AddMark(_OfTakes):
    """Note this moment of takes."""

    label: str = ""

    def __post_init__(self) -> None:
        _OfTakes.__post_init__(self)  # super() does not find a dataclass with slots, which is made twice
        if len(self.label) > MAX_LABEL:
            raise ValueError(f"a mark's label has at most {MAX_LABEL} characters")


@dataclass(frozen=True, slots=True, kw_only=True)
class Cut(_OfTakes):
    """End takes."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Arrange:
    """Switch an open rig to one of its arrangements, counted from 0; a roll is marked there."""

    rig_id: int
    place: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Toggle:
    """Show the pieces of an open rig that have a key, where they are hidden, and hide them where they are shown."""

    rig_id: int
    key: str


class Pen(StrEnum):
    """What is done with the pen: a stroke more, the last one taken back, or all of them."""

    ADD = "add"
    BACK = "back"
    CLEAR = "clear"


@dataclass(frozen=True, slots=True, kw_only=True)
class Draw:
    """Draw on the picture of an open rig, over all else, into what is recorded too; `stroke` counts with ADD."""

    rig_id: int
    does: Pen = Pen.ADD
    stroke: Stroke | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Ask:
    """Ask for the status."""


Request = (
    Open
    | Leave
    | TestFields
    | FindBars
    | Simulate
    | TestSync
    | TakeSample
    | StartRoll
    | Pause
    | Resume
    | AddMark
    | Cut
    | Arrange
    | Toggle
    | Draw
    | Ask
)
REQUEST_KINDS: dict[str, type[Request]] = {kind.__name__: kind for kind in get_args(Request)}


class Behind(StrEnum):
    """What a take falls behind at: encoding, the drive it is written to, or reading and composing what arrives."""

    ENCODER = "encoder"
    DISK = "disk"
    INPUT = "input"


@dataclass(frozen=True, slots=True, kw_only=True)
class RollStatus:
    """A roll at a moment. `state` is one of core's RollState; `bitrate_bps` is the average so far.

    `free_bytes` and `seconds_left` count until the reserve is reached, at that rate; None before there is one. `part`
    is the number of the part that is written, `starts_in_s` what is left of a countdown. `behind` says
    what can't keep up just now, `lighter` is the next lighter effort, "" where there is none. `full_in_s` is given
    where the drive is full soon, and `crash_s` is what a crash would cost just now, None for the whole part. `can_hold`
    says whether it can be held. The file runs `lapse` times as fast as what it shows.
    """

    take_id: int
    rig_id: int
    rig_name: str
    name: str
    path: str
    state: str
    timecode: str
    length_s: float
    size_bytes: int
    bitrate_bps: int
    counts: Counts
    queue: int
    queue_limit: int
    free_bytes: int
    seconds_left: int | None
    marks: int
    part: int = 1
    starts_in_s: float = 0.0
    is_trial: bool = False
    can_hold: bool = True
    lapse: float = 1.0
    crash_s: float | None = None
    behind: Behind | None = None
    lighter: str = ""
    full_in_s: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class AudioLevels:
    """What is heard of an input: the level of each channel as it arrives and as it goes on a track, and its loudness.

    The loudness is that of what goes on a track. `broken` samples were no sound since it was opened, and are silence.
    """

    before: tuple[Level, ...] = ()
    after: tuple[Level, ...] = ()
    loud: Loud = field(default_factory=Loud)
    broken: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class InputStatus:
    """An input of an open rig at a moment: its own facts, what is heard, what was measured of its picture.

    `bars` are the black edges that were found of it when they were looked for last, None where too little was seen.
    `contradictions` say where what is measured disagrees with the line. `problem` is a sentence that says why there is
    no signal; None while it arrives; `is_held` says that another rig has the device, `needs` what it lacks. `event` is
    what the device reports of itself. `field_test` is the last one's result, `is_testing` says that one runs.
    """

    name: str
    signal: Signal | None = None
    sound: SoundFormat | None = None
    heard: AudioLevels = field(default_factory=AudioLevels)
    watched: Watched = field(default_factory=Watched)
    problem: str | None = None
    is_held: bool = False
    needs: Need | None = None
    alarms: tuple[Alarm, ...] = ()
    contradictions: tuple[str, ...] = ()
    field_test: FieldTest | None = None
    is_testing: bool = False
    bars: Bars | None = None
    has_looked: bool = False
    is_finding: bool = False
    event: DeviceEvent | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class SyncStatus:
    """A sync test at a moment: the place of the input that is seen, how often it flashed, what each input's sound says.

    `sounds` are by place, `clicks` how often each was heard to click. `left_s` is 0 once it is over.
    """

    place: int
    flashes: int
    sounds: dict[int, SyncReading]
    clicks: dict[int, int]
    left_s: float


@dataclass(frozen=True, slots=True, kw_only=True)
class RigStatus:
    """An open rig at a moment: its inputs in their order, and the arrangement that is on, counted from 0.

    `toggled` are the keys of the pieces that are shown although hidden at first, or the other way round. `strokes` is
    how many were drawn. `balance` compares the input at `voice` with the one at `game`; None where there are no two.
    `sync` is the last sync test, None before one was begun. `kept_s` seconds before a roll are kept, in `kept_bytes` of
    memory. `faults` are what fails just now of each input that is simulated, None for nothing.
    """

    rig_id: int
    inputs: tuple[InputStatus, ...]
    arrangement: int = 0
    toggled: str = ""
    strokes: int = 0
    balance: BalanceReading | None = None
    voice: int = 0
    game: int = 0
    sync: SyncStatus | None = None
    kept_s: float = 0.0
    kept_bytes: int = 0
    faults: tuple[Fault | None, ...] = ()

    @property
    def picture(self) -> InputStatus:
        """The first input."""
        return self.inputs[0]


@dataclass(frozen=True, slots=True, kw_only=True)
class Status:
    """Everything that a page shows of the recorder: the open rigs, and the takes that roll, the oldest first.

    `notice` says why takes ended by themselves; None when they were cut.
    """

    rigs: tuple[RigStatus, ...] = ()
    rolls: tuple[RollStatus, ...] = ()
    notice: str | None = None

    def roll_of(self, *, take_id: int | None = None, rig_id: int | None = None) -> RollStatus | None:
        """Return how a take stands, by its id or its rig; None when it does not roll."""
        return next((roll for roll in self.rolls if roll.take_id == take_id or roll.rig_id == rig_id), None)


@dataclass(frozen=True, slots=True, kw_only=True)
class Done:
    """What was asked is done; `takes` are those that it concerned, `status` is how things stand now."""

    status: Status
    takes: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Refused:
    """What was asked is not done; one sentence says why. `not_now` says that it can be later."""

    reason: str
    not_now: bool = False
