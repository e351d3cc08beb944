"""Takes, their marks and their proof."""

from dataclasses import replace
from fractions import Fraction

from django.db import models

from reel.core.file import FilePlan, Plays, plays
from reel.core.line import RigSetup, file_plan
from reel.core.measure import Counts, Proof
from reel.core.signal import timecode
from reel.core.wire import from_plain
from reel.web.jobs.models import Job
from reel.web.setups import plan_of

MAX_NAME = 80
# The kind of job that proves a take.
PROVE = "prove"


class TakeState(models.TextChoices):
    """How far a take has come."""

    ROLLING = "rolling", "rolling"
    CLOSED = "closed", "closed"
    INTERRUPTED = "interrupted", "interrupted"


class ProofState(models.TextChoices):
    """What the proof says."""

    WAITING = "waiting", "not proved yet"
    AS_ASKED = "as asked", "as asked"
    DIFFERS = "differs", "differs"
    FAILED = "failed", "can't be proved"


class Takes(models.QuerySet["Take"]):
    """Takes, by what may be asked of many."""

    def rolling(self) -> "Takes":
        """Those that have begun, and whose end has not been stored."""
        return self.filter(state=TakeState.ROLLING)


class Take(models.Model):
    """One recording. `file_name` is a plain name on the shelf; `asked` is the rig's setup when it was rolled.

    `tracks` are the names of the file's sound tracks. `on_device` is the kind of device on whose own storage the file
    lies, "" when it is on the shelf.
    """

    rig = models.ForeignKey("rigs.Rig", null=True, on_delete=models.SET_NULL, related_name="takes")
    rig_name = models.CharField(max_length=MAX_NAME)
    name = models.CharField(max_length=MAX_NAME)
    state = models.CharField(max_length=12, choices=TakeState.choices, default=TakeState.ROLLING)
    started_at = models.DateTimeField(db_index=True)
    asked = models.JSONField()
    tracks = models.JSONField(default=list)
    file_name = models.CharField(max_length=255)
    size_bytes = models.BigIntegerField(null=True)
    length_ms = models.BigIntegerField(null=True)
    bitrate_bps = models.BigIntegerField(null=True)
    counts = models.JSONField(null=True)
    problem = models.TextField(blank=True)
    proof_state = models.CharField(max_length=12, choices=ProofState.choices, default=ProofState.WAITING)
    proof = models.JSONField(null=True)
    playable = models.BooleanField(default=False)
    on_device = models.CharField(max_length=12, blank=True)

    objects = Takes.as_manager()

    class Meta:
        ordering = ["-started_at", "-id"]

    def __str__(self) -> str:
        return self.name

    @property
    def setup(self) -> RigSetup:
        """What was asked."""
        return plan_of(self.asked)

    @property
    def plan(self) -> FilePlan:
        """What its file is to hold."""
        return replace(file_plan(self.setup), tracks=tuple(self.tracks))

    @property
    def counted(self) -> Counts:
        """What the recorder counted; all 0 when it left nothing."""
        return from_plain(self.counts, Counts) if self.counts else Counts()

    @property
    def proved(self) -> Proof | None:
        """The proof, once there is one."""
        return from_plain(self.proof, Proof) if self.proof else None

    @property
    def length_s(self) -> float | None:
        """Seconds of picture."""
        return self.length_ms / 1000 if self.length_ms is not None else None

    @property
    def job(self) -> Job | None:
        """The newest job that reads it."""
        return Job.objects.filter(kind=PROVE, subject=self.pk).first()

    @property
    def plays(self) -> Plays:
        """How a browser plays the file: as it is, or in a copy."""
        return plays(self.plan.recipe)


class Mark(models.Model):
    """A moment of a take, at its tick `tick`."""

    take = models.ForeignKey(Take, on_delete=models.CASCADE, related_name="marks")
    tick = models.PositiveBigIntegerField()
    label = models.CharField(max_length=120, blank=True)

    class Meta:
        ordering = ["tick", "id"]

    def __str__(self) -> str:
        return self.label or f"tick {self.tick}"

    def at_s(self, plan: FilePlan) -> Fraction:
        """Give the second of the take at which it lies."""
        return self.tick / plan.tick_rate

    def code(self, plan: FilePlan) -> str:
        """Give its timecode."""
        return timecode(self.at_s(plan), plan.frame.rate)
