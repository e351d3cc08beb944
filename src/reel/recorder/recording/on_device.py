"""A take that a device records by itself: told to start and stop, its file brought over or left on its storage."""

import threading
from contextlib import suppress
from dataclasses import dataclass, field, replace
from fractions import Fraction
from pathlib import Path

from reel.core.errors import ReelError
from reel.core.line import InputSetup, RigSetup, loss_message, signal_chain
from reel.core.line.own import OwnRecorder
from reel.core.line.own_settings import OwnSettings
from reel.core.measure import Counts
from reel.core.media import MediaError, Shelf, megabytes
from reel.core.offload import Folder, copy_file, differing_blocks
from reel.core.roll import CutBy, MarkedMoment
from reel.core.signal import NS
from reel.recorder.guard import guarded
from reel.recorder.journal import Closed
from reel.recorder.messages import RefusedError, RollStatus, StartRoll
from reel.recorder.recording.session import SessionState
from reel.recorder.recording.take import Take, room_bytes
from reel.standins import RecordingDevice

_NO_HOLD = "The device records by itself and can't hold; cut, and roll again."


def own_recorder_of(setup: RigSetup) -> tuple[OwnRecorder, OwnSettings]:
    """Return the device's own recorder of a rig, and how it is set; raises RefusedError when it is no such rig."""
    recorder, own = setup.picture.own_recorder, setup.picture.own
    if recorder is None or own is None:
        raise RefusedError("This rig's device does not record by itself.")
    return recorder, own


def recording_input(setup: RigSetup) -> InputSetup:
    """Return the input whose device records by itself; raises RefusedError for one that can't."""
    picture = setup.picture
    walked = signal_chain(picture)
    if walked.carried is None:
        block = walked.signal_path.block
        raise RefusedError(loss_message(block, picture).sentence if block else "The device can't record like this.")
    return picture


@dataclass(slots=True, kw_only=True)
class DeviceTake(Take):
    """A take on a device's own storage, `reserved` there; `shelf` is where it comes over to, None where it stays,
    leaving `reserve_bytes` free there.

    It is stopped once it is `max_s` long; 0 leaves that to a person, and to the device, which is set to stop after
    `limit_s` (0 for once its storage is full). `again` is what is asked for when that has ended it.
    """

    own: RecordingDevice
    storage: Shelf
    shelf: Shelf | None
    reserve_bytes: int = 0
    max_s: Fraction = Fraction(0)
    limit_s: int = 0
    again: StartRoll | None = None
    marks: list[MarkedMoment] = field(default_factory=list)
    _closing: threading.Thread | None = None

    def begin(self) -> None:
        self.own.start()

    @property
    def can_hold(self) -> bool:
        """It can't: no device records on into the same file."""
        return False

    def pause(self, now_ns: int) -> None:
        """Refuse: the device can't."""
        raise RefusedError(_NO_HOLD)

    def resume(self) -> None:
        """Refuse: the device can't hold."""
        raise RefusedError(_NO_HOLD)

    def must_end(self) -> bool:
        """Return whether the device has stopped by itself; the reason is kept for the take."""
        if self._closing is not None:
            return False  # one that was cut has not stopped by itself
        if not self.own.has_stopped:
            reached = self.max_s and self.own.pictures >= self.max_s * self.plan.tick_rate
            self.cut_by = CutBy.LENGTH if reached else None
            return bool(reached)
        if self.own.is_at_limit:
            self.cut_by = CutBy.LIMIT
        else:
            self.ends_by = str(self.own.error or "The device stopped by itself.")
        return True

    @property
    def goes_on(self) -> StartRoll | None:
        """Another take, where the limit has ended this one and it is to be begun again."""
        if self.again is None or self.cut_by is not CutBy.LIMIT or self.is_cut:
            return None
        return replace(self.again, follows=self.take_id)

    def mark(self, label: str, now_ns: int) -> MarkedMoment:
        moment = MarkedMoment(tick=max(0, self.own.pictures - 1), label=label)
        self.marks.append(moment)
        return moment

    def cut(self, now_ns: int) -> None:
        """Stop the device, and bring its file over where it does that; returns at once."""
        if self._closing is None:
            self._closing = guarded("Closing the take", self._close, self._closed_by_error)
            self._closing.start()

    def _close(self) -> None:
        self.own.stop()
        problem = str(self.own.error) if self.own.error else self.ends_by
        if self.own.is_called_off:
            self.storage.discard(self.reserved)
            self.closed(self, Closed(path=self.reserved.final, counts=Counts(), is_called_off=True))
            return
        device, path = self.rolled.on_device, self.storage.complete(self.reserved)
        try:
            if self.shelf is not None:
                path, device = bring_over(path, self.shelf, self.reserve_bytes), ""
        except ReelError as error:
            problem = f"Its file is still on the {device}. {error}"
        self._tell(path, device, problem)

    def _closed_by_error(self, error: ReelError) -> None:
        """End it all the same: its file is where the device left it."""
        left = self.reserved.rolling if self.reserved.rolling.exists() else self.reserved.final
        self._tell(left, self.rolled.on_device, str(error))

    def _tell(self, path: Path, device: str, problem: str | None) -> None:
        counts = Counts(ticks=self.own.pictures)
        ended_by = CutBy.TROUBLE if problem else self.cut_by or CutBy.PERSON
        self.closed(self, Closed(path=path, counts=counts, problem=problem, on_device=device, ended_by=ended_by))

    @property
    def ticks(self) -> int:
        return self.own.pictures

    def size_bytes(self) -> int:
        """Return the bytes that lie on the device's storage."""
        with suppress(OSError):
            return self.reserved.rolling.stat().st_size
        return 0

    def status(self) -> RollStatus:
        """Say how it stands, as far as the device tells."""
        starts_in_s = 0.0 if self.own.pictures else max(0, self.own.begins_ns - self.own.now_ns()) / NS
        state = SessionState.COUNTING if starts_in_s else SessionState.ROLLING
        return self.status_of(
            counts=Counts(ticks=self.own.pictures),
            state=(SessionState.ENDING if self._closing else state).value,
            starts_in_s=starts_in_s,
            marks=len(self.marks),
            room_bytes=room_bytes(self.storage),
            ends_s=self.limit_s or None,
        )


def bring_over(path: Path, shelf: Shelf, reserve_bytes: int = 0) -> Path:
    """Copy a file onto the shelf, hold the copy against it block by block, and give its place; raises ReelError.

    The copy never takes the place of another file, and leaves `reserve_bytes` free on the shelf's drive.
    """

    def look_for_room(at: int) -> None:
        if shelf.free_bytes() < reserve_bytes:
            kept = megabytes(reserve_bytes)
            said = f"could not be copied over: {kept} are kept free on the drive, and it needs more room"
            raise MediaError(path, said)

    reserved, storage = shelf.reserve_copy(path.name), Folder(path.parent)
    try:
        copy_file(storage, path.name, path.stat().st_size, reserved.rolling, look_for_room)
        if differing_blocks(storage, path.name, reserved.rolling):
            raise MediaError(path, "came over differently from what lies on the device; the copy is not kept")
        return shelf.complete(reserved)
    except OSError as error:
        shelf.discard(reserved)
        if isinstance(error, ReelError):
            raise
        raise MediaError(path, f"could not be copied over ({error.strerror})") from error
