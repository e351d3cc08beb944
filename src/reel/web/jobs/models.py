"""Work in the background."""

from django.db import models


class JobState(models.TextChoices):
    """How far a job has come."""

    WAITING = "waiting", "waiting"
    RUNNING = "running", "running"
    DONE = "done", "done"
    FAILED = "failed", "failed"
    CALLED_OFF = "called off", "called off"


OPEN_STATES = (JobState.WAITING, JobState.RUNNING)


class Job(models.Model):
    """One piece of work of a kind for the worker, on the `subject` of that number; `done_part` is done, 0 to 1.

    `attempts` counts how often it was begun.
    """

    kind = models.CharField(max_length=20)
    subject = models.BigIntegerField(null=True, db_index=True)
    state = models.CharField(max_length=10, choices=JobState.choices, default=JobState.WAITING)
    done_part = models.FloatField(default=0)
    problem = models.TextField(blank=True)
    attempts = models.PositiveSmallIntegerField(default=0)
    asked_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-asked_at", "-id"]

    def __str__(self) -> str:
        return f"{self.kind} {self.state}"

    @property
    def is_open(self) -> bool:
        """Whether it still waits or runs."""
        return self.state in OPEN_STATES

    @property
    def done_percent(self) -> int:
        """The part that is done, in whole percent."""
        return round(self.done_part * 100)
