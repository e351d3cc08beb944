"""A take that a device records by itself: told to start and stop, its file brought over or left on its storage."""

import hashlib
import shutil
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from reel.core.errors import ReelError
from reel.core.line import RigSetup, chain, followed
from reel.core.line.own import OwnRecorder as OwnRecorderHop
from reel.core.measure import Counts
from reel.core.media import MediaError, Reserved, Shelf
from reel.core.signal import timecode
from reel.recorder.journal import Closed, Journal, Rolled
from reel.recorder.messages import RefusedError, RollStatus
from reel.recorder.roll import MarkedMoment
from reel.standins import OwnRecorder


def own_recorder_of(setup: RigSetup) -> OwnRecorderHop:
    """Give the device's own recorder at the end of a rig's path; raises RefusedError when it is no such rig."""
    hop = setup.path[-1].hop if setup.path else None
    if not isinstance(hop, OwnRecorderHop):
        raise RefusedError("This rig's device does not record by itself.")
    return hop


def remote_setup(setup: RigSetup) -> RigSetup:
    """Give the setup as the device follows it; raises RefusedError for one that it can't."""
    walked = chain(setup)
    if walked.carried is None:
        raise RefusedError(
            walked.travel.block.sentence if walked.travel.block else "The device can't record like this."
        )
    return followed(setup)


@dataclass(slots=True, kw_only=True)
class RemoteTake:
    """A take on a device's own storage, `reserved` there; `shelf` is where it comes over to, None where it stays.

    `on_closed` is called with the problem, if any, when its file is where it belongs.
    """

    own: OwnRecorder
    storage: Shelf
    reserved: Reserved
    shelf: Shelf | None
    journal: Journal
    rolled: Rolled
    on_closed: Callable[[str | None], None]
    take_id: int = 0
    ends_by: str | None = None
    marks: list[MarkedMoment] = field(default_factory=list)

    def must_end(self) -> bool:
        """Say whether the device has stopped by itself; the reason is kept for the take."""
        if not self.own.has_stopped:
            return False
        limit = own_recorder_of(self.rolled.setup).max_s
        stopped = (
            f"It stopped by itself after {limit} s, as it always does." if limit else "The device stopped by itself."
        )
        self.ends_by = str(self.own.error) if self.own.error else stopped
        return True

    def mark(self, label: str) -> MarkedMoment:
        """Note this moment."""
        moment = MarkedMoment(tick=max(0, self.own.pictures - 1), label=label)
        self.marks.append(moment)
        return moment

    def close(self) -> None:
        """Stop the device, bring its file over where it does that, and store the end."""
        self.own.stop()
        problem = str(self.own.error) if self.own.error else self.ends_by
        device = self.rolled.setup.device.kind.value
        path = self.storage.complete(self.reserved)
        try:
            if self.shelf is not None:
                path, device = bring_over(path, self.shelf), ""
        except ReelError as error:
            problem = f"Its file is still on the {device}. {error}"
        counts = Counts(ticks=self.own.pictures)
        try:
            self.journal.closed(self.take_id, Closed(path=path, counts=counts, problem=problem, on_device=device))
        finally:
            self.on_closed(problem)

    def status(self) -> RollStatus:
        """Say how it stands, as far as the device tells."""
        recipe = self.rolled.setup.recipe
        length_s = self.own.pictures / recipe.frame.rate
        size = self.reserved.rolling.stat().st_size if self.reserved.rolling.exists() else 0
        limit = own_recorder_of(self.rolled.setup).max_s
        return RollStatus(
            take_id=self.take_id,
            rig_id=self.rolled.rig_id,
            rig_name=self.rolled.rig_name,
            name=self.rolled.name,
            path=str(self.reserved.final),
            state="rolling",
            timecode=timecode(length_s, recipe.frame.rate),
            length_s=float(length_s),
            size_bytes=size,
            bitrate_bps=round(size * 8 / float(length_s)) if length_s > 0.5 else 0,
            counts=Counts(ticks=self.own.pictures),
            queue=0,
            queue_limit=0,
            free_bytes=self.storage.free_bytes(),
            seconds_left=max(0, round(limit - float(length_s))) if limit else None,
            marks=len(self.marks),
        )


def bring_over(path: Path, shelf: Shelf) -> Path:
    """Copy a file onto the shelf, hold the copy against it byte by byte, and give its place; raises MediaError."""
    target = shelf.path(path.name)
    making = target.with_name(f"{target.stem}.rolling{target.suffix}")
    try:
        shutil.copyfile(path, making)
        if _digest(making) != _digest(path):
            raise MediaError(making, "came over differently from what lies on the device; it is not kept")
        return shelf.complete(Reserved(rolling=making, final=target, number=0))
    except OSError as error:
        raise MediaError(path, f"could not be copied over ({error.strerror})") from error
    finally:
        making.unlink(missing_ok=True)


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
