"""The bin: takes lie there on their own drive, for some days, until they are put back or deleted."""

import datetime
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

from django.db import Error, transaction
from django.utils import timezone

from reel import options
from reel.core.errors import ReelError
from reel.core.media import Shelf
from reel.recorder.messages import RefusedError
from reel.web.takes import actions
from reel.web.takes.models import Take, Takes, TakeState
from reel.web.takes.proving import kept_on
from reel.web.takes.summing import sum_up


@dataclass(frozen=True, slots=True)
class _Moved:
    """The files of a take that were moved, so that they can be moved back."""

    source: Shelf
    target: Shelf
    before: list[str]
    after: list[str]


def to_bin(ids: Iterable[int]) -> int:
    """Put takes into the bin, all or none; returns how many. Raises RefusedError, MediaError, NameTakenError."""

    def into(take: Take) -> tuple[Shelf, Shelf]:
        if take.state == TakeState.ROLLING:
            raise RefusedError(f"{take.name} is rolling and can't be binned; cut it first.")
        shelf = kept_on(take)
        return shelf, shelf.bin_of(take.pk)

    return _move(Take.objects.kept().filter(pk__in=ids), into, timezone.now())


def put_back(ids: Iterable[int]) -> int:
    """Put takes of the bin back to where they lay, all or none; returns how many. Raises MediaError, NameTakenError."""

    def out(take: Take) -> tuple[Shelf, Shelf]:
        shelf = kept_on(take)
        return shelf.bin_of(take.pk), shelf

    return _move(binned().filter(pk__in=ids), out, None)


def binned() -> Takes:
    """Return the takes of the bin."""
    return Take.objects.filter(binned_at__isnull=False)


def empty(ids: Iterable[int]) -> int:
    """Delete takes of the bin for good; returns how many. One that can't be deleted stays, and ends it: MediaError."""
    count = 0
    for take in binned().filter(pk__in=ids):
        actions.delete(take)
        kept_on(take).bin_of(take.pk).clear()
        count += 1
    return count


def empty_old() -> int:
    """Delete what has lain in the bin for BIN_DAYS; what can't be reached stays. Returns how many."""
    until = timezone.now() - datetime.timedelta(days=options.bin_days())
    count = 0
    for take in binned().filter(binned_at__lt=until):
        try:
            count += empty([take.pk])
        except ReelError:
            continue  # its drive is not there: it is deleted once it is
    return count


def _move(takes: Takes, ways: Callable[[Take], tuple[Shelf, Shelf]], binned_at: datetime.datetime | None) -> int:
    """Move the files of takes, and store that they are there: all, or nothing is changed."""
    moved: list[_Moved] = []
    try:
        with transaction.atomic():
            found = list(takes.defer("asked", "counts").prefetch_related("parts"))
            reached: set[str] = set()
            renamed: list[int] = []
            for take in found:
                source, target = ways(take)
                shelf = kept_on(take)
                if str(shelf.root) not in reached:
                    shelf.reach()
                    reached.add(str(shelf.root))
                before = [name for part in take.all_parts for name, _ in part.names]
                after = source.move(before, target)
                moved.append(_Moved(source, target, before, after))
                if after != before:
                    actions.give_names(take.all_parts, after)
                    renamed.append(take.pk)
            Take.objects.filter(pk__in=[take.pk for take in found]).update(binned_at=binned_at)
            for pk in renamed:
                sum_up(pk)
    except (ReelError, OSError, Error):  # the commit may fail too
        _move_back(moved)
        raise
    for one in moved:
        if binned_at is None:
            one.source.clear()
    return len(found)


def _move_back(moved: Sequence[_Moved]) -> None:
    for one in reversed(moved):
        one.target.move(one.after, one.source)
        one.target.clear()
