"""The file: recipe, forecast, names."""

from reel.core.file.forecast import Forecast, forecast
from reel.core.file.length import parse_length
from reel.core.file.naming import DEFAULT_PATTERN, file_stem, slug
from reel.core.file.recipe import EFFORTS, Container, Effort, RateControl, Recipe

__all__ = [
    "DEFAULT_PATTERN",
    "EFFORTS",
    "Container",
    "Effort",
    "Forecast",
    "RateControl",
    "Recipe",
    "file_stem",
    "forecast",
    "parse_length",
    "slug",
]
