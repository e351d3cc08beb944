"""Files beside takes: those that are made of them, and those that are on their way to become one."""

from django.db import models

from reel.web.jobs.models import Job
from reel.web.takes.models import Part, Take

# The kind of job that makes a file of a part, to be handed on.
MAKE = "make"
# The kind of job that brings a file over.
BRING = "bring"


class MadeKind(models.TextChoices):
    """What is made of a part, to be handed on."""

    CHAPTERS = "chapters", "with chapters"
    SMALL = "small", "small copy"
    WAV = "wav", "WAV"
    FLAC = "flac", "FLAC"


class Made(models.Model):
    """A file that a job makes of a part, beside it; of a `track` (from 0) where it is sound. It has a name once it
    `is_whole`.
    """

    part = models.ForeignKey(Part, on_delete=models.CASCADE, related_name="made")
    kind = models.CharField(max_length=10, choices=MadeKind.choices)
    track = models.PositiveSmallIntegerField(default=0)
    file_name = models.CharField(max_length=255, blank=True)
    is_whole = models.BooleanField(default=False)
    size_bytes = models.BigIntegerField(null=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return self.file_name or self.kind

    @property
    def job(self) -> Job | None:
        """The newest job that makes it."""
        return Job.objects.filter(kind=MAKE, subject=self.pk).first()


class IncomingSource(models.TextChoices):
    """Where a file comes from."""

    UPLOAD = "upload", "the browser"
    FOLDER = "folder", "a folder"
    DEVICE = "device", "a device"


class IncomingState(models.TextChoices):
    """How far a file has come."""

    WAITING = "waiting", "waits"
    COPYING = "copying", "copying"
    BROKEN = "broken", "link broke"
    CHECKING = "checking", "checking"
    WHOLE = "whole", "checked"
    KNOWN = "known", "here already"
    FAILED = "failed", "can't be brought in"


class Incoming(models.Model):
    """A file on its way from the browser, a folder of this computer, or a device's own storage.

    `place` is the folder, or the kind of the device; `name` its path there. While it comes it is written under
    `rolling_name` on the shelf; `copied_bytes` are there. It became `take`, or is known as that.
    """

    source = models.CharField(max_length=8, choices=IncomingSource.choices)
    place = models.CharField(max_length=1000, blank=True)
    name = models.CharField(max_length=1000)
    size_bytes = models.BigIntegerField()
    modified_at = models.DateTimeField()
    copied_bytes = models.BigIntegerField(default=0)
    bytes_per_s = models.FloatField(null=True)
    state = models.CharField(max_length=10, choices=IncomingState.choices, default=IncomingState.WAITING)
    problem = models.TextField(blank=True)
    rolling_name = models.CharField(max_length=255, blank=True)
    take = models.ForeignKey(Take, null=True, on_delete=models.SET_NULL, related_name="incoming")
    asked_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["source", "place", "-id"], name="incoming_from")]

    def __str__(self) -> str:
        return self.name

    @property
    def job(self) -> Job | None:
        """The newest job that brings it over."""
        return Job.objects.filter(kind=BRING, subject=self.pk).first()

    @property
    def short_name(self) -> str:
        """The last part of its name."""
        return self.name.rsplit("/", 1)[-1]

    @property
    def done_percent(self) -> int:
        return round(100 * self.copied_bytes / self.size_bytes) if self.size_bytes else 0

    @property
    def is_over(self) -> bool:
        """Whether it is here, as it is there."""
        return self.state in (IncomingState.WHOLE, IncomingState.KNOWN)

    @property
    def is_open(self) -> bool:
        return self.state in (IncomingState.WAITING, IncomingState.COPYING, IncomingState.CHECKING)
