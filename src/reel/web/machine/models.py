"""What this machine can do: how fast it encodes, where takes may be kept and how fast that writes."""

from django.db import models


class Speed(models.Model):
    """One cell of the bench: a codec with one of its efforts or profiles (`choice`), at a size, with certain `samples`.

    `pictures_per_s` and `bits_per_picture` are None where it could not be encoded, and `problem` says why.
    """

    codec = models.CharField(max_length=20)
    choice = models.CharField(max_length=20, blank=True)
    width_px = models.PositiveIntegerField()
    height_px = models.PositiveIntegerField()
    samples = models.CharField(max_length=20)
    pictures_per_s = models.FloatField(null=True)
    bits_per_picture = models.FloatField(null=True)
    problem = models.TextField(blank=True)
    measured_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["codec", "choice", "width_px", "height_px"], name="one_speed_a_cell")
        ]

    def __str__(self) -> str:
        return f"{self.codec} {self.choice} {self.width_px}×{self.height_px}"


class ShelfPlace(models.Model):
    """A folder on some drive where takes may be kept; `write_bps` is how fast it was measured to write, in bits."""

    name = models.CharField(max_length=60, unique=True)
    folder = models.CharField(max_length=500, unique=True)
    write_bps = models.FloatField(null=True)
    measured_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.name
