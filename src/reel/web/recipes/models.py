"""Recipes under names of one's own."""

from django.db import models

from reel.core.file import Recipe
from reel.web.setups import recipe_of

MAX_NAME = 60


class KeptRecipe(models.Model):
    """A recipe under a name; new rigs begin with the one that `is_default`."""

    name = models.CharField(max_length=MAX_NAME, unique=True)
    settings = models.JSONField()
    is_default = models.BooleanField(default=False)
    kept_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name

    @property
    def recipe(self) -> Recipe:
        """The recipe; raises BadValueError for one that can't be read."""
        return recipe_of(self.settings)
