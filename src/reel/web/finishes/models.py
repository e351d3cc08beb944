"""The finish that is being set up of a take, what was read of its files, and finishes that are kept under a name."""

from django.db import models

from reel.core.finish import Finish
from reel.core.wire import from_plain
from reel.web.takes.models import Part, Take

MAX_NAME = 60


class OpenFinish(models.Model):
    """The finish of a take as it is set up; `value` is a core Finish. `past` and `future` are what it was before, and
    what was undone, each with the words of the change: the newest last.
    """

    take = models.OneToOneField(Take, on_delete=models.CASCADE, related_name="open_finish")
    value = models.JSONField()
    past = models.JSONField(default=list)
    future = models.JSONField(default=list)

    def __str__(self) -> str:
        return f"of {self.take_id}"

    @property
    def finish(self) -> Finish:
        """The finish; raises BadValueError for one that can't be read."""
        return from_plain(self.value, Finish)


class ReadFile(models.Model):
    """What was read of a part's file: a core Source, which holds while the file has the same `stamp`; the `claps` that
    were found in it, None where none were looked for.
    """

    part = models.OneToOneField(Part, on_delete=models.CASCADE, related_name="read_file")
    stamp = models.CharField(max_length=60)
    streams = models.JSONField()
    packets = models.BinaryField(null=True)
    is_joinable = models.BooleanField(default=False)
    claps = models.JSONField(null=True)

    def __str__(self) -> str:
        return f"part {self.part_id}"


class KeptFinish(models.Model):
    """A finish under a name, to be used on any take; `rules` are a Rules, by which what is kept is found in each."""

    name = models.CharField(max_length=MAX_NAME, unique=True)
    value = models.JSONField()
    rules = models.JSONField(default=dict)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


class CommentaryTry(models.Model):
    """Something that was spoken over a take, from a second of it on.

    While it is spoken its samples come in pieces, `rate_hz` a second, the first at `at_s`; then it is the file
    `file_name` in the home's folder, which lies along the take. `late_ms` is by how much the browser hears too late,
    None where that was not measured; `is_found` says that where it lies was found by what was played, not only said by
    the browser. It may take the place of a part of what was spoken before, `into`.
    """

    take = models.ForeignKey(Take, on_delete=models.CASCADE, related_name="tries")
    created_at = models.DateTimeField(auto_now_add=True)
    heard_at = models.DateTimeField(auto_now=True)
    rate_hz = models.PositiveIntegerField()
    at_s = models.FloatField(default=0)
    length_s = models.FloatField(default=0)
    late_ms = models.FloatField(null=True)
    into = models.ForeignKey("self", null=True, on_delete=models.SET_NULL)
    is_found = models.BooleanField(default=False)
    file_name = models.CharField(max_length=80, default="")

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"try {self.pk}"
