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
    """What was read of a part's file: a core Source, which holds while the file has the same `stamp`."""

    part = models.OneToOneField(Part, on_delete=models.CASCADE, related_name="read_file")
    stamp = models.CharField(max_length=60)
    streams = models.JSONField()
    packets = models.BinaryField(null=True)
    is_joinable = models.BooleanField(default=False)

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
