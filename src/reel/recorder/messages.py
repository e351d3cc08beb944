"""What web and recorder say to each other: plain values, checked on arrival."""

from dataclasses import dataclass, field

from reel.core.errors import ReelError
from reel.core.line import RigSetup
from reel.core.measure import Alarm, Counts, FieldTest, Watched
from reel.core.signal import Signal, SoundFormat
from reel.core.sound import Level
from reel.standins.play import Play

REQUESTS = "requests.ipc"
BROADCAST = "broadcast.ipc"
STATUS_TOPIC = b"status"
PICTURE_TOPIC = b"picture/"
MAX_LABEL = 120


class RefusedError(ReelError, RuntimeError):
    """Raised when the recorder can't do what was asked in its present state; its text says why and what to do."""


class UnreachableError(ReelError, ConnectionError):
    """Raised when the recorder does not answer in time."""

    def __init__(self) -> None:
        super().__init__("The recorder does not answer; it may be starting. Try again in a moment.")


@dataclass(frozen=True, slots=True, kw_only=True)
class Open:
    """Open a rig, or keep it open for another few seconds; another setup or play than before opens it anew.

    `viewer` names the page that looks on; while it does, the rig's device is its own.
    """

    rig_id: int
    setup: RigSetup
    play: Play = field(default_factory=Play)
    rig_name: str = ""
    viewer: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Leave:
    """A page no longer looks on: once none does, another rig may have the device at once."""

    rig_id: int
    viewer: str


@dataclass(frozen=True, slots=True, kw_only=True)
class TestFields:
    """Begin a field test on an open rig; its result comes with the rig's status."""

    rig_id: int


@dataclass(frozen=True, slots=True, kw_only=True)
class StartRoll:
    """Roll a take of a rig."""

    rig_id: int
    rig_name: str
    setup: RigSetup
    play: Play = field(default_factory=Play)


@dataclass(frozen=True, slots=True, kw_only=True)
class Hold:
    """Pause the roll."""


@dataclass(frozen=True, slots=True, kw_only=True)
class CarryOn:
    """Go on after a hold."""


@dataclass(frozen=True, slots=True, kw_only=True)
class AddMark:
    """Note this moment of the roll."""

    label: str = ""

    def __post_init__(self) -> None:
        if len(self.label) > MAX_LABEL:
            raise ValueError(f"a mark's label has at most {MAX_LABEL} characters")


@dataclass(frozen=True, slots=True, kw_only=True)
class Cut:
    """Stop the roll. `take_id` names the take that the person saw rolling; another one is not cut."""

    take_id: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Ask:
    """Ask for the status."""


Request = Open | Leave | TestFields | StartRoll | Hold | CarryOn | AddMark | Cut | Ask
REQUEST_KINDS: dict[str, type[Request]] = {
    kind.__name__: kind for kind in (Open, Leave, TestFields, StartRoll, Hold, CarryOn, AddMark, Cut, Ask)
}


@dataclass(frozen=True, slots=True, kw_only=True)
class RollStatus:
    """A roll at a moment. `state` is one of core's RollState; `bitrate_bps` is the average so far.

    `free_bytes` and `seconds_left` count until the reserve is reached, at that rate; None before there is one.
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
    warning: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class RigStatus:
    """An open rig at a moment; see recorder.source.Reading."""

    rig_id: int
    signal: Signal | None
    sound: SoundFormat | None
    levels: tuple[Level, ...]
    watched: Watched
    problem: str | None
    alarms: tuple[Alarm, ...] = ()
    contradictions: tuple[str, ...] = ()
    field_test: FieldTest | None = None
    is_testing: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Status:
    """Everything that a page shows of the recorder: the open rigs, and the roll if there is one.

    `notice` says why the last take ended by itself; None when it was cut.
    """

    rigs: tuple[RigStatus, ...] = ()
    roll: RollStatus | None = None
    notice: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Done:
    """What was asked is done; `take_id` is the take that it concerned, `status` how things stand now."""

    status: Status
    take_id: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Refused:
    """What was asked is not done; one sentence says why."""

    reason: str
