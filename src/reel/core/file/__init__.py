"""The file: recipe, plan, forecast, names."""

from reel.core.file.forecast import Forecast, forecast
from reel.core.file.length import parse_length
from reel.core.file.naming import DEFAULT_PATTERN, file_stem, slug
from reel.core.file.plan import FilePlan
from reel.core.file.recipe import EFFORTS, Container, Effort, RateControl, Recipe, SoundFiles

__all__ = [
    "DEFAULT_PATTERN",
    "EFFORTS",
    "Container",
    "Effort",
    "FilePlan",
    "Forecast",
    "RateControl",
    "Recipe",
    "SoundFiles",
    "file_stem",
    "forecast",
    "parse_length",
    "slug",
]
