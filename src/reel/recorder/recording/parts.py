"""The parts of a take: between the session and the encoder queues, where one file ends and the next begins."""

import math
from collections.abc import Callable
from dataclasses import dataclass

import av

from reel.core.errors import ReelError
from reel.core.file import FilePlan
from reel.core.signal import FloatArray, tick_to_sample
from reel.recorder.recording.encoder_queue import EncoderQueue

# Opens the queue of a part, given its number from 1 on and the tick of the take with which it begins; does not wait.
OpenPart = Callable[[int, int], EncoderQueue]


@dataclass(slots=True)
class _Part:
    """A part that is written, from a tick of the take to the sample at which its sound ends; None while it rolls."""

    queue: EncoderQueue
    first_tick: int
    end_sample: int | None = None


class Parts:
    """Hands a take's pictures and sound to one part after the other. Used from one thread, but for what is said of it.

    A part begins with a picture, at the first tick from the asked one on, and the sound of each track is cut at that
    tick, to the sample. Sound comes later than its picture or before it: a part that has ended stays open until its
    sound is in, and sound that lies beyond the end that is asked for waits for the picture with which the next part
    begins. Without `open_next` there is one part only.
    """

    def __init__(self, first: EncoderQueue, plan: FilePlan, open_next: OpenPart | None = None) -> None:
        self._plan, self._every, self._open_next = plan, plan.part_ticks if open_next else None, open_next
        self._open = [_Part(first, 0)]
        self.queues = [first]
        self.began: Callable[[int], None] = lambda tick: None
        self._boundary = self._every
        self._given = [0] * len(plan.tracks)
        self._early: list[tuple[int, FloatArray]] = []
        self._finished = False

    @property
    def count(self) -> int:
        """How many parts there are by now."""
        return len(self.queues)

    @property
    def plan(self) -> FilePlan:
        return self._plan

    @property
    def is_finished(self) -> bool:
        return self._finished

    @property
    def first_tick(self) -> int:
        """The tick of the take with which the newest part begins."""
        return self._open[-1].first_tick

    @property
    def error(self) -> ReelError | None:
        """What ended the writing of a part; None while all goes well."""
        return next((queue.error for queue in self.queues if queue.error is not None), None)

    @property
    def waiting(self) -> int:
        """Pictures that wait to be encoded."""
        return sum(queue.waiting for queue in self.queues[-2:])

    @property
    def written(self) -> int:
        """Pictures and blocks of sound that were encoded so far."""
        return sum(queue.written for queue in self.queues)

    def allow_more(self, pictures: int) -> None:
        """Let so many more pictures wait for a while."""
        self.queues[-1].allow_more(pictures)

    @property
    def limit(self) -> int:
        return self.queues[-1].limit

    def start(self) -> None:
        self.queues[0].start()

    def split(self, next_tick: int) -> None:
        """Have the next part begin as soon as it can, `next_tick` being the first of the take that has no picture."""
        if self._open_next is None or self._finished:
            return
        heard = max(self._given, default=0)
        rate_hz = self._plan.recipe.sound.rate_hz
        tick = max(next_tick, math.ceil(heard * self._plan.tick_rate / rate_hz), self.first_tick + 1)
        self._boundary = tick if self._boundary is None else min(self._boundary, tick)

    def offer_picture(self, frame: av.VideoFrame, tick: int) -> bool:
        """Queue the picture of a tick of the take; False when it is lost."""
        if self._boundary is not None and tick >= self._boundary and self._open_next is not None:
            self._begin(tick)
        part = self._open[-1]
        return part.queue.offer_picture(frame, tick - part.first_tick)

    def offer_samples(self, data: FloatArray, track: int) -> None:
        """Queue a block of sound of a track, counted from 0, that follows on the one before."""
        for part in list(self._open):
            if not data.shape[1]:
                return
            end = part.end_sample
            if end is None and self._boundary is not None:
                end = self._sample(self._boundary)
            room = data.shape[1] if end is None else max(0, end - self._given[track])
            if room:
                part.queue.offer_samples(data[:, :room], track)
                self._given[track] += min(room, data.shape[1])
                data = data[:, room:]
            self._finish_heard()
        if data.shape[1]:
            self._early.append((track, data))

    def finish(self) -> None:
        """Take nothing more; each part is closed once all that waits is written."""
        self._boundary, self._finished = None, True
        self._give_early()
        for part in self._open:
            part.queue.finish()

    def settle(self, room: int) -> None:
        """Wait until there is so much room in each queue; used by the virtual clock."""
        for queue in list(self.queues):
            queue.settle(room)

    def wait(self) -> None:
        """Wait until every part is closed; used by the virtual clock."""
        for queue in list(self.queues):
            queue.ended.wait()

    def _begin(self, tick: int) -> None:
        assert self._open_next is not None
        self._open[-1].end_sample = self._sample(tick)
        queue = self._open_next(len(self.queues) + 1, tick)
        self._open.append(_Part(queue, tick))
        self.queues.append(queue)
        self._boundary = tick + self._every if self._every else None
        self.began(tick)
        queue.start()
        self._give_early()
        self._finish_heard()

    def _give_early(self) -> None:
        early, self._early = self._early, []
        for track, data in early:
            self.offer_samples(data, track)

    def _finish_heard(self) -> None:
        """Close the parts that have ended and whose sound is in."""
        while self._open[0].end_sample is not None and min(self._given, default=math.inf) >= self._open[0].end_sample:
            self._open.pop(0).queue.finish()

    def _sample(self, tick: int) -> int:
        return tick_to_sample(tick, self._plan.tick_rate, self._plan.recipe.sound.rate_hz)
