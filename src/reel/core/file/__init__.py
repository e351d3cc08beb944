"""The file: containers, codecs, rate control, recipe, plan, what encoders are told, forecast, names."""

from reel.core.file.browser import Plays, has_few_players, plays, plays_as_found
from reel.core.file.codec_facts import Chroma, VideoCodec
from reel.core.file.codecs import CODECS
from reel.core.file.containers import CONTAINERS, SOUND_CODECS, Container, SoundCodec, SoundFacts
from reel.core.file.crash import crash_cost_s, held_pictures
from reel.core.file.encoder import EncoderSettings, encoder_settings
from reel.core.file.exchange import read_recipe, recipe_from_1, write_recipe
from reel.core.file.expectations import Expectations, expectations
from reel.core.file.forecast import Forecast, Measured, forecast
from reel.core.file.length import parse_gigabytes, parse_length, plain_length, with_parts
from reel.core.file.naming import DEFAULT_PATTERN, NameFacts, file_stem, slug
from reel.core.file.plan import FilePlan
from reel.core.file.purposes import STARTING_POINTS, Purpose, start_from
from reel.core.file.rate import (
    RATE_WORDS,
    ByProfile,
    ConstantBitrate,
    ConstantQuality,
    ConstantQuantiser,
    Lossless,
    RateControl,
    RateKind,
    VariableBitrate,
)
from reel.core.file.recipe import Draft, MismatchError, Recipe, SoundFiles, lighter_effort
from reel.core.file.resolving import default_rate, full_quality, offers, resolve
from reel.core.file.words import SETTINGS, differences, lines, part_words

__all__ = [
    "CODECS",
    "CONTAINERS",
    "DEFAULT_PATTERN",
    "RATE_WORDS",
    "SETTINGS",
    "SOUND_CODECS",
    "STARTING_POINTS",
    "ByProfile",
    "Chroma",
    "ConstantBitrate",
    "ConstantQuality",
    "ConstantQuantiser",
    "Container",
    "Draft",
    "EncoderSettings",
    "Expectations",
    "FilePlan",
    "Forecast",
    "Lossless",
    "Measured",
    "MismatchError",
    "NameFacts",
    "Plays",
    "Purpose",
    "RateControl",
    "RateKind",
    "Recipe",
    "SoundCodec",
    "SoundFacts",
    "SoundFiles",
    "VariableBitrate",
    "VideoCodec",
    "crash_cost_s",
    "default_rate",
    "differences",
    "encoder_settings",
    "expectations",
    "file_stem",
    "forecast",
    "full_quality",
    "has_few_players",
    "held_pictures",
    "lighter_effort",
    "lines",
    "offers",
    "parse_gigabytes",
    "parse_length",
    "part_words",
    "plain_length",
    "plays",
    "plays_as_found",
    "read_recipe",
    "recipe_from_1",
    "resolve",
    "slug",
    "start_from",
    "with_parts",
    "write_recipe",
]
