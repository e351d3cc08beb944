"""What a recording needs of the open rig that feeds it."""

import threading
from collections.abc import Callable, Sequence
from typing import Protocol, TypeVar

from reel.core.roll import MarkedMoment
from reel.core.signal import Sent
from reel.recorder.messages import InputStatus
from reel.recorder.recording.session import RecordingSession

T = TypeVar("T")


class LiveSource(Protocol):
    """A rig's inputs as they are read; see rig.source.Source, whose thread runs all that touches a session."""

    @property
    def readings(self) -> Sequence[InputStatus]: ...  # noqa: D102
    @property
    def sent(self) -> Sent | None: ...  # noqa: D102
    @property
    def is_behind(self) -> bool: ...  # noqa: D102
    def call(self, command: Callable[[], None], *, after_ns: int | None = None) -> None: ...  # noqa: D102
    def answer(self, work: Callable[[], T], *, after_ns: int | None = None) -> T: ...  # noqa: D102
    def begin(self, session: RecordingSession, *, with_pre_record: bool = False) -> None: ...  # noqa: D102
    def pause(self, now_ns: int) -> None: ...  # noqa: D102
    def resume(self) -> None: ...  # noqa: D102
    def cut(self, now_ns: int) -> None: ...  # noqa: D102
    def split(self, *, lighter: bool = False) -> None: ...  # noqa: D102
    def mark(self, label: str) -> MarkedMoment | None: ...  # noqa: D102


class LiveRig(Protocol):
    """An open rig: its source, and the thread that reads it."""

    @property
    def source(self) -> LiveSource: ...  # noqa: D102
    @property
    def thread(self) -> threading.Thread: ...  # noqa: D102
