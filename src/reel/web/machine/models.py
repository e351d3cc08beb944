"""What this machine can do: how fast it encodes, where takes may be kept and how fast that writes."""

import os
import platform
import re
from functools import cache
from pathlib import Path

from django.db import models

from reel.core.file import Draft
from reel.core.signal import Mode


@cache
def this_machine() -> str:
    """Return what tells machines apart that encode at different speeds: the processor's model and how many cores."""
    try:
        found = re.search(r"^model name\s*:\s*(.+)$", Path("/proc/cpuinfo").read_text(), re.MULTILINE)
    except OSError:  # no Linux
        found = None
    model = found[1].strip() if found else platform.processor() or platform.machine()
    return f"{model}, {os.cpu_count()} cores"[:120]


def choice_of(draft: Draft) -> str:
    """Return the effort or profile of some settings, by which the bench knows them."""
    return draft.effort or draft.profile


class SpeedSet(models.QuerySet["Speed"]):
    """What may be asked of all that was measured."""

    def here(self, mode: Mode) -> "SpeedSet":
        """Return what was measured on this machine at a size."""
        return self.filter(machine=this_machine(), width_px=mode.width_px, height_px=mode.height_px)

    def of(self, draft: Draft) -> "Speed | None":
        """Return what was measured of some settings."""
        return self.filter(codec=draft.codec.value, choice=choice_of(draft)).first()


class Speed(models.Model):
    """One cell of the bench: a codec with one of its efforts or profiles (`choice`), at a size, with certain `samples`.

    It holds for the machine that was measured, since a home may be moved to another. `pictures_per_s` and
    `bits_per_picture` are None where it could not be encoded, and `problem` says why.
    """

    machine = models.CharField(max_length=120, default=this_machine)
    codec = models.CharField(max_length=20)
    choice = models.CharField(max_length=20, blank=True)
    width_px = models.PositiveIntegerField()
    height_px = models.PositiveIntegerField()
    samples = models.CharField(max_length=20)
    pictures_per_s = models.FloatField(null=True)
    bits_per_picture = models.FloatField(null=True)
    problem = models.TextField(blank=True)
    measured_at = models.DateTimeField(auto_now=True)

    objects = SpeedSet.as_manager()

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(
                fields=["machine", "codec", "choice", "width_px", "height_px"], name="one_speed_a_cell"
            )
        ]

    def __str__(self) -> str:
        return f"{self.codec} {self.choice} {self.width_px}×{self.height_px}"


class ShelfPlace(models.Model):
    """A folder on some drive where takes may be kept; `write_bps` is how fast it was measured to write, in bits.

    `key` is what it is known by, "" before it was measured.
    """

    name = models.CharField(max_length=60, unique=True)
    folder = models.CharField(max_length=500, unique=True)
    key = models.CharField(max_length=64, blank=True)
    write_bps = models.FloatField(null=True)
    measured_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.name
