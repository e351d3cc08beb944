"""Work in the background."""

from django.db import models
from django.utils import timezone

from reel.web.jobs.kinds import KINDS, Lane, is_rolling


class JobState(models.TextChoices):
    """How far a job has come."""

    WAITING = "waiting", "waiting"
    RUNNING = "running", "running"
    DONE = "done", "done"
    FAILED = "failed", "failed"
    CALLED_OFF = "called off", "called off"


class Aside(models.Model):
    """A file that a job writes aside, under a rolling name in a folder: what a killed worker leaves is known by it."""

    folder = models.CharField(max_length=500)
    name = models.CharField(max_length=255)

    def __str__(self) -> str:
        return self.name


# From this part on the pace of a job says how long it takes.
TELLING_PART = 0.05
OPEN_STATES = (JobState.WAITING, JobState.RUNNING)


class Job(models.Model):
    """One piece of work of a kind for the worker, on the `subject` of that number; `done_part` is done, 0 to 1.

    `params` are its kind's, as JSON. It waits in a `lane`, behind those of a higher `priority`. `attempts` counts how
    often it was begun, the last time at `began_at`.
    """

    kind = models.CharField(max_length=20)
    subject = models.BigIntegerField(null=True, db_index=True)
    params = models.JSONField(default=dict)
    lane = models.CharField(max_length=10, default=Lane.QUICK.value)
    priority = models.SmallIntegerField(default=0)
    state = models.CharField(max_length=10, choices=JobState.choices, default=JobState.WAITING)
    done_part = models.FloatField(default=0)
    problem = models.TextField(blank=True)
    attempts = models.PositiveSmallIntegerField(default=0)
    asked_at = models.DateTimeField(auto_now_add=True)
    began_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-asked_at", "-id"]

    def __str__(self) -> str:
        return f"{self.kind} {self.state}"

    @property
    def is_open(self) -> bool:
        """Whether it still waits or runs."""
        return self.state in OPEN_STATES

    @property
    def is_paused(self) -> bool:
        """Whether it gives way to what rolls just now."""
        kind = KINDS.get(self.kind)
        if kind is None or not self.is_open or not is_rolling():
            return False
        return kind.pauses if self.state == JobState.RUNNING else not kind.may_begin_while_rolling

    @property
    def done_percent(self) -> int:
        """The part that is done, in whole percent."""
        return round(self.done_part * 100)

    @property
    def label(self) -> str:
        """What people call it."""
        return KINDS[self.kind].label if self.kind in KINDS else self.kind

    @property
    def left_s(self) -> float | None:
        """The seconds that it still takes, at the pace so far; None while that can't be told."""
        if self.state != JobState.RUNNING or self.began_at is None or self.done_part < TELLING_PART:
            return None
        return (timezone.now() - self.began_at).total_seconds() * (1 - self.done_part) / self.done_part
