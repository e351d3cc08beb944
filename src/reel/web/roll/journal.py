"""Storing what the recorder tells."""

import logging
from collections.abc import Iterator
from contextlib import contextmanager

from django.db import Error, OperationalError, connections

from reel.core.roll import MarkedMoment
from reel.recorder.journal import BegunPart, Closed, JournalError, Rolled
from reel.web.rigs import actions as rigs
from reel.web.takes import actions
from reel.web.takes.models import Mark, Take, TakeOrigin

log = logging.getLogger(__name__)


@contextmanager
def _stored() -> Iterator[None]:
    """Say what the database refuses in the recorder's words, and keep no connection on the thread that called."""
    try:
        yield
    except OperationalError as error:  # a full drive, a locked database
        raise JournalError(str(error)) from error
    except Error as error:
        raise JournalError(str(error), lasts=True) from error
    finally:
        connections.close_all()


class DatabaseJournal:
    """The recorder's Journal, kept in the database. It is called from the recorder's threads."""

    def rolled(self, rolled: Rolled) -> int:
        """Store a take that has begun; returns its id."""
        with _stored():
            take = actions.begin(
                rig_id=rolled.rig_id,
                rig_name=rolled.rig_name,
                name=rolled.name,
                file_name=rolled.rolling.name,
                setup=rolled.setup,
                started_at=rolled.started_at,
                tracks=list(rolled.plan.tracks),
                on_device=rolled.on_device,
                origin=TakeOrigin.BY_DEVICE if rolled.on_device else TakeOrigin.ROLLED,
                is_trial=rolled.is_trial,
                folder=rolled.folder,
                shelf_key=rolled.shelf_key,
                follows_id=rolled.follows,
            )
            try:
                rigs.untick_put_back(rolled.rig_id, rolled.setup)
            except Error:
                log.exception("The checks of rig %s were not taken back", rolled.rig_id)  # no reason not to roll
        return take.pk

    def marked(self, take_id: int, mark: MarkedMoment) -> None:
        with _stored():
            Mark.objects.create(take_id=take_id, tick=mark.tick, label=mark.label, kind=mark.kind)

    def part_began(self, take_id: int, part: BegunPart) -> None:
        with _stored():
            actions.add_part(take_id, number=part.number, first_tick=part.first_tick, file_name=part.rolling.name)

    def closed(self, take_id: int, closed: Closed) -> None:
        """Store the end of a take and ask for its proof. A take that was deleted meanwhile has none."""
        with _stored():
            take = Take.objects.filter(pk=take_id).first()
            if closed.is_called_off:
                actions.forget(take_id)
            elif take is not None:
                actions.close(
                    take,
                    [
                        actions.ClosedFile(file_name=one.path.name, first_tick=one.first_tick, counts=one.counts)
                        for one in closed.files
                    ],
                    counts=closed.counts,
                    problem=closed.problem or "",
                    on_device=closed.on_device,
                    ended_by=closed.ended_by,
                )
