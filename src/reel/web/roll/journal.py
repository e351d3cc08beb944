"""Storing what the recorder tells."""

import logging
from collections.abc import Iterator
from contextlib import contextmanager

from django.db import Error, connections

from reel.recorder.journal import Closed, JournalError, Rolled
from reel.recorder.roll import MarkedMoment
from reel.web.rigs import actions as rigs
from reel.web.takes import actions
from reel.web.takes.models import Mark, Take

log = logging.getLogger(__name__)


@contextmanager
def _stored() -> Iterator[None]:
    """Say what the database refuses in the recorder's words, and keep no connection on the thread that called."""
    try:
        yield
    except Error as error:
        raise JournalError(str(error)) from error
    finally:
        connections.close_all()


class DatabaseJournal:
    """The recorder's Journal, kept in the database. It is called from the recorder's threads."""

    def rolled(self, rolled: Rolled) -> int:
        """Store a take that has begun; gives its id."""
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
            )
            try:
                rigs.untick_put_back(rolled.rig_id, rolled.setup)
            except Error:
                log.exception("The checks of rig %s were not taken back", rolled.rig_id)  # no reason not to roll
        return take.pk

    def marked(self, take_id: int, mark: MarkedMoment) -> None:
        """Store a mark."""
        with _stored():
            Mark.objects.create(take_id=take_id, tick=mark.tick, label=mark.label)

    def closed(self, take_id: int, closed: Closed) -> None:
        """Store the end of a take and ask for its proof. A take that was deleted meanwhile has none."""
        with _stored():
            take = Take.objects.filter(pk=take_id).first()
            if take is not None:
                actions.close(
                    take,
                    file_name=closed.path.name,
                    counts=closed.counts,
                    problem=closed.problem or "",
                    on_device=closed.on_device,
                )
