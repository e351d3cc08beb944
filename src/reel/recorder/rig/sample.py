"""A moment of an open rig's frame, recorded without loss: what this machine is measured with."""

import threading
from dataclasses import dataclass, field, replace
from pathlib import Path

from reel.core.errors import ReelError
from reel.core.file import Container, Draft, VideoCodec, resolve
from reel.core.media import MediaError, PartWriter
from reel.recorder.clock import Clock
from reel.recorder.messages import NotNowError
from reel.recorder.recording.encoder_queue import EncoderQueue, queue_limit
from reel.recorder.recording.parts import Parts
from reel.recorder.rig.source import Source

# How long is waited beyond the sample's own length for its pictures to come, and for its file.
PATIENCE_S = 4.0
_LOOK_S = 0.05


@dataclass(slots=True)
class Sampling:
    """A sample that is being taken: `stop` has it end, since something is to roll; `ended` says that it has."""

    stop: threading.Event = field(default_factory=threading.Event)
    ended: threading.Event = field(default_factory=threading.Event)


@dataclass(slots=True)
class Samplings:
    """The samples that are being taken, one of a rig at most, by the rigs' ids."""

    _taken: dict[int, Sampling] = field(default_factory=dict)

    def __contains__(self, rig_id: int) -> bool:
        return rig_id in self._taken

    def begin(self, rig_id: int) -> Sampling:
        """Note that one is taken of a rig; raises NotNowError where one is already."""
        if self._taken.setdefault(rig_id, sampling := Sampling()) is not sampling:
            raise NotNowError("Its picture is being measured with already.")
        return sampling

    def end(self, rig_id: int) -> None:
        """Note that the one of a rig is not taken any more."""
        self._taken.pop(rig_id).ended.set()

    def stop(self) -> None:
        """End all that are being taken, and wait until they have ended; so long for each at most: PATIENCE_S."""
        stopped = list(self._taken.values())
        for sampling in stopped:
            sampling.stop.set()
        for sampling in stopped:
            sampling.ended.wait(PATIENCE_S)


def take_sample(source: Source, path: Path, seconds: float, clock: Clock, stop: threading.Event) -> None:
    """Record so many seconds of what a source composes just now; the file is there when it is whole.

    Raises MediaError when nothing came, or it could not be written, and NotNowError when it was to stop.
    """
    plan = source.plan()
    wanted = Draft(
        container=Container.MKV, codec=VideoCodec.FFV1, chroma=plan.recipe.chroma, bits=plan.recipe.bits,
        matrix=plan.recipe.matrix, range=plan.recipe.range,
    )  # fmt: skip
    plan = replace(plan, recipe=resolve(wanted), tracks=())
    making = path.with_name(f"{path.stem}.making{path.suffix}")
    failed: list[ReelError] = []
    queue = EncoderQueue(
        PartWriter(making, plan), closed=lambda error: failed.append(error) if error else None, limit=queue_limit(plan)
    )
    session = source.make_session(Parts(queue, plan), is_sample=True)
    queue.start()
    try:
        source.call(lambda: source.begin(session))
        for _ in range(round((seconds + PATIENCE_S) / _LOOK_S)):
            if stop.wait(_LOOK_S) or session.ticks >= seconds * plan.tick_rate or queue.ended.is_set():
                break
    finally:
        now_ns = clock.now_ns()
        source.call(lambda: source.cut(now_ns), after_ns=now_ns)
        if not queue.ended.wait(PATIENCE_S):
            queue.finish()
            queue.ended.wait(PATIENCE_S)
    if failed or stop.is_set() or not session.ticks:
        making.unlink(missing_ok=True)
        if stop.is_set():
            raise NotNowError("Something is to roll; a picture is measured with once nothing does.")
        raise failed[0] if failed else MediaError(path, "holds nothing: no picture came")
    making.replace(path)
