"""Storing what the recorder tells."""

from django.db import close_old_connections, connections

from reel.recorder.journal import Closed, Rolled
from reel.recorder.roll import MarkedMoment
from reel.web.takes import actions
from reel.web.takes.models import Mark, Take


class DatabaseJournal:
    """The recorder's Journal, kept in the database. It is called from the recorder's threads."""

    def rolled(self, rolled: Rolled) -> int:
        """Store a take that has begun; gives its id."""
        close_old_connections()
        take = actions.begin(
            rig_id=rolled.rig_id,
            rig_name=rolled.rig_name,
            name=rolled.name,
            file_name=rolled.rolling.name,
            setup=rolled.setup,
            started_at=rolled.started_at,
            sound_tracks=rolled.sound_tracks,
        )
        return take.pk

    def marked(self, take_id: int, mark: MarkedMoment) -> None:
        """Store a mark."""
        Mark.objects.create(take_id=take_id, tick=mark.tick, label=mark.label)

    def closed(self, take_id: int, closed: Closed) -> None:
        """Store the end of a take and ask for its proof."""
        try:
            take = Take.objects.get(pk=take_id)
            actions.close(
                take,
                file_name=closed.path.name,
                counts=closed.counts,
                problem=closed.problem or "",
                on_device=closed.on_device,
            )
        finally:
            connections.close_all()  # the thread that calls this ends here
