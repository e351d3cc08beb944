"""Rigs."""

from django.db import models

from reel.core.line import RigSetup
from reel.core.wire import from_plain, to_plain
from reel.standins.play import Play
from reel.web.setups import plan_of, stored

MAX_NAME = 60


class Rig(models.Model):
    """Everything set up for one way of recording; `setup` holds a core RigSetup as JSON, with its version.

    `play` is how its device behaves where that is simulated.
    `ticked` are the keys of the checks that a person has ticked. `is_asked` says that a person has set where its signal
    comes from, or has allowed what a file says of it.
    """

    name = models.CharField(max_length=MAX_NAME, unique=True)
    setup = models.JSONField()
    play = models.JSONField(default=dict)
    ticked = models.JSONField(default=list)
    is_asked = models.BooleanField(default=True)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    @property
    def plan(self) -> RigSetup:
        """The setup as the core knows it; raises BadValueError for one that can't be read."""
        return plan_of(self.setup)

    @plan.setter
    def plan(self, plan: RigSetup) -> None:
        self.setup = stored(plan)

    @property
    def played(self) -> Play:
        """The play; raises BadValueError for one that can't be read."""
        return from_plain(self.play, Play)

    @played.setter
    def played(self, play: Play) -> None:
        self.play = to_plain(play)
