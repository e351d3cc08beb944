"""Takes, their parts with their proofs, and their marks."""

from dataclasses import dataclass, replace
from fractions import Fraction

from django.db import models
from django.urls import reverse

from reel.core.file import FilePlan, Plays, plays
from reel.core.line import RigSetup, file_plan
from reel.core.measure import Counts, Proof
from reel.core.measure.in_time import TakeInTime
from reel.core.media import RESCUED, part_tag
from reel.core.roll import CutBy, MarkKind, cut_words
from reel.core.signal import timecode
from reel.core.wire import from_plain
from reel.web.jobs.kinds import tells_of_rolls
from reel.web.jobs.models import Job
from reel.web.setups import plan_of

MAX_NAME = 80
MAX_NOTE, MAX_TAGS, MAX_TAG = 500, 12, 40
# The kind of job that proves a part.
PROVE = "prove"
# The kind of job that repairs a part whose recorder was killed.
RESCUE = "rescue"


class TakeState(models.TextChoices):
    """How far a take has come."""

    ROLLING = "rolling", "rolling"
    CLOSED = "closed", "closed"
    INTERRUPTED = "interrupted", "interrupted"


class TakeOrigin(models.TextChoices):
    """Where a take's files are from."""

    ROLLED = "rolled", "rolled"
    BY_DEVICE = "by device", "recorded by a device"
    BROUGHT_IN = "brought in", "brought in"
    MADE = "made", "made from other takes"


class ProofState(models.TextChoices):
    """What the proof says."""

    WAITING = "waiting", "not proved yet"
    AS_ASKED = "as asked", "as asked"
    DIFFERS = "differs", "differs"
    FAILED = "failed", "can't be proved"
    NOT_ASKED = "not asked", "nothing was asked of it"


KEPT = models.Q(binned_at=None)


class Takes(models.QuerySet["Take"]):
    """Takes, by what may be asked of many."""

    def rolling(self) -> "Takes":
        """Those that have begun, and whose end has not been stored."""
        return self.filter(state=TakeState.ROLLING)

    def with_parts(self) -> "Takes":
        return self.prefetch_related("parts")

    def kept(self) -> "Takes":
        """Those that are not in the bin."""
        return self.filter(KEPT)


@dataclass(frozen=True, slots=True, kw_only=True)
class Form:
    """What a take's files are, as far as pages and times need it: as asked, or as measured of what was brought in.

    `tick_rate` is that of its marks; one frame in so many as `lapse` says is recorded. Frames of one that `is_variable`
    lie at any distances.
    """

    width_px: int
    height_px: int
    rate: Fraction
    tick_rate: Fraction
    lapse: Fraction = Fraction(1)
    devices: tuple[str, ...] = ()
    container: str = ""
    codec: str = ""
    is_variable: bool = False


# Of what was not measured yet.
NO_FORM = Form(width_px=16, height_px=9, rate=Fraction(30), tick_rate=Fraction(30))


@tells_of_rolls
def something_rolls() -> bool:
    """Return whether a take has begun whose end has not been stored."""
    return Take.objects.rolling().exists()


class Take(models.Model):
    """One recording, of one or more parts; `asked` is the rig's setup when it was rolled, or what somebody holds a file
    against that was brought in; None where nothing was asked: then `measured` is its Form. `finish` is the core Finish
    by which it was made from others.

    `tracks` are the names of its sound tracks, `counts` are those of all its parts. `on_device` is the kind of device
    on whose own storage its files lie, "" when they are on the shelf; `folder` is another shelf than the home's, "" for
    that. `ended_by` is a core CutBy. In the bin since `binned_at`, its files lie in that of its shelf. `made_from` are
    the takes that it was made from, `follows` is the one before it in a series. What a list shows and is sorted by
    (`proof_state`, `size_bytes`, `length_ms`, `codec`, `lost` frames) is summed up from its parts by `takes.summing`.
    It `is_missing` where its files were not where they were when that was looked at last.
    """

    rig = models.ForeignKey("rigs.Rig", null=True, on_delete=models.SET_NULL, related_name="takes")
    rig_name = models.CharField(max_length=MAX_NAME)
    name = models.CharField(max_length=MAX_NAME)
    state = models.CharField(max_length=12, choices=TakeState.choices, default=TakeState.ROLLING)
    started_at = models.DateTimeField(db_index=True)
    asked = models.JSONField(null=True)
    measured = models.JSONField(null=True)
    finish = models.JSONField(null=True)
    tracks = models.JSONField(default=list)
    counts = models.JSONField(null=True)
    problem = models.TextField(blank=True)
    ended_by = models.CharField(max_length=8, default=CutBy.PERSON)
    is_trial = models.BooleanField(default=False)
    on_device = models.CharField(max_length=12, blank=True)
    folder = models.CharField(max_length=500, blank=True)
    shelf_key = models.CharField(max_length=64, blank=True)
    origin = models.CharField(max_length=12, choices=TakeOrigin.choices, default=TakeOrigin.ROLLED)
    made_from = models.ManyToManyField("self", symmetrical=False, related_name="made_into")
    follows = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="followed_by")
    is_good = models.BooleanField(default=False)
    note = models.CharField(max_length=MAX_NOTE, blank=True)
    tags = models.JSONField(default=list)
    binned_at = models.DateTimeField(null=True)
    proof_state = models.CharField(max_length=12, choices=ProofState.choices, default=ProofState.WAITING)
    size_bytes = models.BigIntegerField(null=True)
    length_ms = models.BigIntegerField(null=True)
    codec = models.CharField(max_length=40, blank=True)
    lost = models.PositiveBigIntegerField(default=0)
    is_missing = models.BooleanField(default=False)

    objects = Takes.as_manager()

    class Meta:
        ordering = ["-started_at", "-id"]
        # a rig's latest takes, and its latest trials, are found without sorting all of them
        indexes = [
            models.Index(fields=["rig", "-started_at", "-id"], name="take_of_rig"),
            models.Index(fields=["rig", "is_trial", "-started_at", "-id"], name="trial_of_rig"),
            # the list is read, counted and summed from indexes alone: a row with its setup is large
            *(
                models.Index(
                    fields=[*first, "-started_at", "-id", "size_bytes", "length_ms"], name=name, condition=KEPT
                )
                for name, first in (
                    ("kept_takes", ()),
                    ("good_takes", ["is_good"]),
                    ("proved_takes", ["proof_state"]),
                    ("takes_in_state", ["state"]),
                    ("trial_takes", ["is_trial"]),
                    ("takes_from", ["origin"]),
                    ("missing_takes", ["is_missing"]),
                )
            ),
            models.Index(
                fields=["-binned_at", "-id"], name="binned_takes", condition=models.Q(binned_at__isnull=False)
            ),
            models.Index(fields=["codec"], name="take_codecs"),
            models.Index(fields=["-size_bytes", "-id", "length_ms"], name="take_by_size", condition=KEPT),
            models.Index(fields=["-length_ms", "-id", "size_bytes"], name="take_by_length", condition=KEPT),
            models.Index(fields=["name", "-id", "size_bytes", "length_ms"], name="take_by_name", condition=KEPT),
        ]

    def __str__(self) -> str:
        return self.name

    def get_absolute_url(self) -> str:
        return reverse("takes:take", args=[self.pk])

    @property
    def setup(self) -> RigSetup:
        """What was asked; raises BadValueError where nothing was."""
        return plan_of(self.asked or {})

    @property
    def form(self) -> Form:
        """What its files are."""
        if self.asked is None:
            return from_plain(self.measured, Form) if self.measured else NO_FORM
        plan = self.plan
        return Form(
            width_px=plan.frame.width_px,
            height_px=plan.frame.height_px,
            rate=plan.frame.rate,
            tick_rate=plan.tick_rate,
            lapse=Fraction(plan.lapse),
            devices=tuple(one.device.kind.label for one in self.setup.inputs),
            container=plan.recipe.container_facts.label,
            codec=plan.recipe.codec_facts.label,
            is_variable=plan.as_it_comes or plan.recipe.as_sent or self.origin == TakeOrigin.BY_DEVICE,
        )

    @property
    def plan(self) -> FilePlan:
        """What each of its files is to hold."""
        made = self.finish or {}
        encoding = made.get("encoding")
        is_asked = bool(encoding and not encoding.get("size_bytes")) or not made.get("keep")
        return replace(file_plan(self.setup), tracks=tuple(self.tracks), made_of=not is_asked)

    @property
    def counted(self) -> Counts:
        """What the recorder counted; all 0 when it left nothing."""
        return from_plain(self.counts, Counts) if self.counts else Counts()

    @property
    def end(self) -> str:
        """Why it was cut, where that was set beforehand; "" where a person cut it."""
        return cut_words(CutBy(self.ended_by), self.setup.roll) if self.asked else ""

    @property
    def gap_s(self) -> float | None:
        """Seconds between the end of the take that it follows and its own begin; None where it follows none."""
        if self.follows is None or self.follows.length_s is None:
            return None
        return max(0.0, (self.started_at - self.follows.started_at).total_seconds() - self.follows.length_s)

    @property
    def all_parts(self) -> list["Part"]:
        """Its parts, in their order: asked for each time, unless it was read with its parts."""
        return list(self.parts.all())

    @property
    def first(self) -> "Part":
        """Its first part: every take has one."""
        return self.all_parts[0]

    @property
    def length_s(self) -> float | None:
        """Seconds of picture in all parts."""
        return self.length_ms / 1000 if self.length_ms is not None else None

    @property
    def bitrate_bps(self) -> int | None:
        """Bits per second, over all parts."""
        size, length_ms = self.size_bytes, self.length_ms
        return round(size * 8000 / length_ms) if size and length_ms else None


@dataclass(frozen=True, slots=True, kw_only=True)
class TrackLevels:
    """How loud a track of a file is, in dBFS; None where it holds nothing."""

    title: str
    rms_db: float | None
    peak_db: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Tried:
    """What a trial showed beside its proof: the second that took the most bits, those bits, how loud its tracks are."""

    hardest_s: int
    hardest_bps: int
    tracks: tuple[TrackLevels, ...]


# The pictures that are kept of a trial.
STILLS = ("first", "hardest", "last")


class Part(models.Model):
    """One file of a take, `number` from 1; `file_name` is a plain name where the take lies.

    It begins with the take's tick `first_tick`; `counts` are by its own ticks. One that was repaired has an original,
    which stays as it was left. `found` is what a trial showed. Where the recorder was killed, it had come to
    `reached_ms` at least. `strand` is its picture along its time as a row of a list draws it. `played` is a Plays,
    where it was measured and not asked; by its `fingerprint` it is known again. Of one that `is_hashed` the hashes of
    its frames lie beside it, against which it was held last at `verified_at`; `verify_problem` is what differed then.
    """

    take = models.ForeignKey(Take, on_delete=models.CASCADE, related_name="parts")
    number = models.PositiveIntegerField(default=1)
    first_tick = models.PositiveBigIntegerField(default=0)
    file_name = models.CharField(max_length=255)
    size_bytes = models.BigIntegerField(null=True)
    length_ms = models.BigIntegerField(null=True)
    bitrate_bps = models.BigIntegerField(null=True)
    counts = models.JSONField(null=True)
    problem = models.TextField(blank=True)
    original_name = models.CharField(max_length=255, blank=True)
    reached_ms = models.BigIntegerField(null=True)
    proof_state = models.CharField(max_length=12, choices=ProofState.choices, default=ProofState.WAITING)
    proof = models.JSONField(null=True)
    found = models.JSONField(null=True)
    playable = models.BooleanField(default=False)
    strand = models.JSONField(null=True)
    played = models.CharField(max_length=10, blank=True)
    is_hashed = models.BooleanField(default=False)
    verified_at = models.DateTimeField(null=True)
    verify_problem = models.TextField(blank=True)
    fingerprint = models.CharField(max_length=40, blank=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["take", "number"], name="one_part_a_number")]

    def __str__(self) -> str:
        return self.file_name

    @property
    def counted(self) -> Counts:
        """What the recorder counted; all 0 when it left nothing."""
        return from_plain(self.counts, Counts) if self.counts else Counts()

    @property
    def proved(self) -> Proof | None:
        """The proof, once there is one."""
        return from_plain(self.proof, Proof) if self.proof else None

    @property
    def tried(self) -> Tried | None:
        """What a trial showed; None for other takes, and before it is proved."""
        return from_plain(self.found, Tried) if self.found else None

    @property
    def names(self) -> list[tuple[str, str]]:
        """Its files, each with what its name has beyond the take's."""
        tag = part_tag(self.number)
        if not self.original_name:
            return [(self.file_name, tag)]
        return [(self.file_name, f"{tag}{RESCUED}"), (self.original_name, tag)]

    @property
    def length_s(self) -> float | None:
        return self.length_ms / 1000 if self.length_ms is not None else None

    @property
    def job(self) -> Job | None:
        """The newest job that reads it."""
        return Job.objects.filter(kind__in=(PROVE, RESCUE), subject=self.pk).first()

    @property
    def lost_s(self) -> float | None:
        """Seconds at its end that were not written when the recorder was killed, at least; None where none was."""
        if self.reached_ms is None or self.length_ms is None:
            return None
        return max(0, self.reached_ms - self.length_ms) / 1000

    @property
    def plays(self) -> Plays:
        """How a browser plays the file: as it is, or in a copy."""
        return Plays(self.played) if self.played else plays(self.take.plan)


class InTime(models.Model):
    """A part along its time, as core's TakeInTime packs it."""

    part = models.OneToOneField(Part, on_delete=models.CASCADE, related_name="along")
    packed = models.BinaryField()

    def __str__(self) -> str:
        return f"part {self.part_id}"

    @property
    def in_time(self) -> TakeInTime:
        return TakeInTime.unpacked(bytes(self.packed))


class Mark(models.Model):
    """A moment of a take, at its tick `tick`; `kind` is a core MarkKind."""

    take = models.ForeignKey(Take, on_delete=models.CASCADE, related_name="marks")
    tick = models.PositiveBigIntegerField()
    label = models.CharField(max_length=120, blank=True)
    kind = models.CharField(max_length=8, default=MarkKind.PERSON)

    class Meta:
        ordering = ["tick", "id"]

    def __str__(self) -> str:
        return self.label or f"tick {self.tick}"

    def code(self, form: Form) -> str:
        return timecode(self.tick / form.tick_rate, form.rate)
