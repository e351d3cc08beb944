"""The finish of a take while it is set up: opened, changed, undone."""

import hashlib
import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

from django.db import transaction

from reel.core.errors import BadValueError
from reel.core.file import CONTAINERS
from reel.core.finish import TARGETS, Edges, Finish, FinishPlan, Keep, Ranges, Source, TickRange, plan, without
from reel.core.signal import rate_label
from reel.core.wire import to_plain
from reel.recorder.messages import RefusedError
from reel.web.finishes.models import OpenFinish
from reel.web.finishes.proposals import FilePart
from reel.web.finishes.reading import sources_of, stored_finish, takes_of
from reel.web.takes.models import InTime, Part, Take, TakeState

# As many changes can be undone.
MAX_UNDO = 40


@dataclass(frozen=True, slots=True, kw_only=True)
class Opened:
    """A finish that is set up, with what its take's files hold; `takes` are that one and those that follow on it."""

    take: Take
    takes: list[Take]
    stored: OpenFinish
    finish: Finish
    sources: list[Source]

    @property
    def keep(self) -> Keep:
        """What is kept."""
        if self.finish.keep is None:
            raise BadValueError("Finish", "nothing", "it says nothing of what is kept")
        return self.finish.keep

    @property
    def rate(self) -> Fraction:
        return self.take.form.rate

    @property
    def length(self) -> int:
        """Ticks of the take."""
        return length_of(self.sources)

    @property
    def parts(self) -> list[Part]:
        """The files that it is made of."""
        return [part for take in self.takes for part in take.all_parts]

    @property
    def seen(self) -> str:
        """What tells apart two states of it: a page says which it shows."""
        return hashlib.sha256(json.dumps(self.stored.value, sort_keys=True).encode()).hexdigest()[:12]

    def plan(self) -> FinishPlan:
        """Say what becomes of it; raises BadValueError where it can't be made."""
        return planned(self.finish, self.sources)


def length_of(sources: list[Source]) -> int:
    """Return the ticks of files, one behind the other; raises BadValueError where one has no picture."""
    if any(one.packets is None for one in sources):
        raise BadValueError("File", "sound only", "what has no picture can't be cut yet")
    return sum(one.packets.length for one in sources if one.packets is not None)


def planned(finish: Finish, sources: list[Source]) -> FinishPlan:
    """Plan a finish; what keeps all of a single file takes it as it is. Raises BadValueError."""
    keep = finish.keep
    if (
        keep is not None
        and finish.is_plain
        and len(sources) == 1
        and keep.ranges == (TickRange(0, length_of(sources)),)
    ):
        return plan(replace(finish, keep=None), sources[0])
    return plan(finish, *sources)


def whole(take: Take, sources: list[Source]) -> Finish:
    """Return the finish that keeps all of a take in the container that it has."""
    ending = take.first.file_name.rpartition(".")[2].lower()
    container = next((one for one in TARGETS if CONTAINERS[one].suffix == ending), TARGETS[0])
    return Finish(container=container, keep=Keep(rate=take.form.rate, ranges=(TickRange(0, length_of(sources)),)))


def refuse_unfinishable(take: Take) -> None:
    """Raise RefusedError for a take of which nothing can be made just now."""
    if take.state == TakeState.ROLLING or take.on_device or take.binned_at:
        raise RefusedError(f"{take.name} does not lie on a shelf as a whole, and can't be finished.")


def opened(take: Take) -> Opened | None:
    """Return the finish of a take, begun anew where there is none or its files changed; None until they were read."""
    refuse_unfinishable(take)
    stored, finish, takes = stored_finish(take)
    sources = sources_of(takes)
    if sources is None:
        return None
    if finish is None or not _fits(finish, take, sources):
        takes, sources = [take], sources[: len(take.all_parts)]
        finish = whole(take, sources)
        new = {"value": to_plain(finish), "past": [], "future": []}
        stored, _ = OpenFinish.objects.update_or_create(take=take, defaults=new)
    assert stored is not None, "it is stored where it was not there"
    return Opened(take=take, takes=takes, stored=stored, finish=finish, sources=sources)


def _fits(finish: Finish, take: Take, sources: list[Source]) -> bool:
    """Return whether a finish that is stored still goes with a take's files."""
    keep = finish.keep
    return keep is not None and keep.rate == take.form.rate and keep.ranges[-1].end <= length_of(sources)


def join(now: Opened, other: Take) -> Finish:
    """Return the finish with another take behind what it has; raises RefusedError, BadValueError where that can't be,
    or its files were not read yet."""
    refuse_unfinishable(other)
    if other in now.takes or not other.all_parts:
        raise RefusedError(f"{other.name} can't follow: it is in it already, or has no files.")
    if other.form.rate != now.rate and now.finish.encoding is None:
        rates = f"{rate_label(other.form.rate)} frames a second, not {rate_label(now.rate)}"
        raise BadValueError("Take", other.name[:40], f"it has {rates}; choose under File how all is encoded to join it")
    sources = sources_of([*now.takes, other])
    if sources is None:
        raise RefusedError(f"{other.name} is being read. Join it again in a moment.")
    ranges = (*now.keep.ranges, TickRange(now.length, length_of(sources)))
    return replace(kept_ranges(now, ranges), behind=(*now.finish.behind, other.pk))


def take_off(now: Opened) -> Finish:
    """Return the finish without the take that follows last; raises RefusedError, BadValueError."""
    if not now.finish.behind:
        raise RefusedError("No other take follows on it.")
    left = now.length - length_of(now.sources[-len(now.takes[-1].all_parts) :])
    ranges = without(now.keep.ranges, [TickRange(left, now.length)])
    return replace(kept_ranges(now, ranges), behind=now.finish.behind[:-1])


def change(take: Take, seen: str, edit: Callable[[Opened], Finish], words: str) -> None:
    """Set a take's finish anew, so that it can be undone; raises what `edit` raises, and RefusedError where the page
    that asks shows another state than is stored."""
    with transaction.atomic():
        now = _now(take, seen)
        finish = edit(now)
        sources = now.sources if finish.behind == now.finish.behind else sources_of(takes_of(take, finish))
        planned(finish, sources or now.sources)  # what can't be made is refused here
        value = to_plain(finish)
        if value == now.stored.value:
            return
        stored = now.stored
        stored.past = [*stored.past, {"value": stored.value, "words": words}][-MAX_UNDO:]
        stored.value, stored.future = value, []
        stored.save()


def undo(take: Take, seen: str, *, again: bool) -> None:
    """Undo the last change, or redo `again` what was undone last; raises RefusedError where there is none."""
    with transaction.atomic():
        stored = _now(take, seen).stored
        source, target = (stored.future, stored.past) if again else (stored.past, stored.future)
        if not source:
            raise RefusedError(f"There is nothing to {'redo' if again else 'undo'}.")
        step = source.pop()
        target.append({"value": stored.value, "words": step["words"]})
        stored.value = step["value"]
        stored.save()


def _now(take: Take, seen: str) -> Opened:
    now = opened(take)
    if now is None:
        raise RefusedError("The file changed; it is being read. Load the page again.")
    if seen != now.seen:
        raise RefusedError("This finish was changed in another window meanwhile. Load the page again.")
    return now


def kept_ranges(now: Opened, ranges: Ranges, edges: Edges | None = None) -> Finish:
    """Return the finish with other ranges; raises BadValueError where nothing is left."""
    return replace(now.finish, keep=Keep(rate=now.rate, ranges=ranges, edges=edges or now.keep.edges))


def parts_of(takes: Sequence[Take], sources: list[Source]) -> list[FilePart]:
    """Return what was found in the files of takes along their time; nothing where one was not examined yet."""
    kept = {one.part_id: one.in_time for one in InTime.objects.filter(part__take__in=takes)}
    found, begin = [], 0
    parts = (part for take in takes for part in take.all_parts)
    for part, source in zip(parts, sources, strict=True):
        if part.pk not in kept or source.packets is None:
            return []
        found.append(FilePart(in_time=kept[part.pk], begin=begin, length=source.packets.length))
        begin += source.packets.length
    return found


def marks_of(now: Opened) -> list[int]:
    """Return the marks of the takes as ticks of the whole."""
    return [
        begin + round(mark.tick / take.form.tick_rate * take.form.rate)
        for take, begin in zip(now.takes, begins_of(now.takes, now.sources), strict=True)
        for mark in take.marks.all()
    ]


def begins_of(takes: Sequence[Take], sources: Sequence[Source]) -> list[int]:
    """Return the tick of the whole that each take begins with."""
    begins, place = [], 0
    for take in takes:
        begins.append(length_of(list(sources[:place])))
        place += len(take.all_parts)
    return begins
