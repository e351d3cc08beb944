"""Rigs."""

from django.db import models

from reel.core.line import RigSetup
from reel.core.wire import from_plain, to_plain

MAX_NAME = 60


class Rig(models.Model):
    """Everything set up for one way of recording; `setup` holds a core RigSetup as JSON.

    `ticked` are the keys of the checks that a person has ticked. `is_asked` says that a person has set where its signal
    comes from, or has allowed what a file says of it.
    """

    name = models.CharField(max_length=MAX_NAME, unique=True)
    setup = models.JSONField()
    ticked = models.JSONField(default=list)
    is_asked = models.BooleanField(default=True)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    @property
    def plan(self) -> RigSetup:
        """The setup as the core knows it; raises BadValueError for one that no longer fits."""
        return from_plain(self.setup, RigSetup)

    @plan.setter
    def plan(self, plan: RigSetup) -> None:
        self.setup = to_plain(plan)
