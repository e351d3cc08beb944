"""What a file made by a recipe must turn out to hold: the proof goes through it, line by line."""

from dataclasses import dataclass
from fractions import Fraction

from reel.core.file.codec_facts import VideoCodec
from reel.core.file.containers import Container
from reel.core.file.plan import FilePlan
from reel.core.file.rate import RateControl, RateKind
from reel.core.signal import Matrix, Range


@dataclass(frozen=True, slots=True, kw_only=True)
class Expectations:
    """What is asked of a file, from the same tables as what the encoder is told. Names are for people.

    `profile` and `level` are "" where nothing is asked. `keyframe_ticks` is how many frames lie from one keyframe to
    the next, `second_bits` what any second of the picture may have at most; None where nothing is asked. `has_transfer`
    says that the picture's format names its transfer and primaries. `sound_bitrate_bps` is None where nothing of the
    sound is lost, `sound_block_s` how long one of its codec's blocks is. What `is_padded` has its bitrate also where
    less is needed. `begins_at_0` says that the first picture stands at the file's beginning.
    """

    container: str
    codec: str
    profile: str
    level: str
    pixels: str
    matrix: Matrix
    range: Range
    has_transfer: bool
    keyframe_ticks: int
    rate: RateControl
    second_bits: int | None
    sound: str
    sound_rate_hz: int
    sound_channels: int
    sound_bitrate_bps: int | None
    sound_block_s: Fraction
    names_tracks: bool
    is_padded: bool
    begins_at_0: bool


def expectations(plan: FilePlan) -> Expectations:
    """Return what is asked of the file of a plan."""
    recipe, codec, sound = plan.recipe, plan.recipe.codec_facts, plan.recipe.sound_facts
    return Expectations(
        container=recipe.container_facts.name,
        codec=codec.label,
        profile=plan.profile,
        level=recipe.level,
        pixels=recipe.stored.pixels,
        matrix=recipe.matrix,
        range=recipe.range,
        has_transfer=codec.has_transfer,
        keyframe_ticks=plan.keyframe_ticks,
        rate=recipe.rate,
        second_bits=plan.second_bits,
        sound=" ".join(part for part in (sound.label, sound.profile) if part),
        sound_rate_hz=recipe.sound_rate_hz,
        sound_channels=recipe.sound_channels,
        sound_bitrate_bps=recipe.sound_bitrate_bps if sound.bitrates_bps else None,
        sound_block_s=Fraction(sound.block, recipe.sound_rate_hz),
        names_tracks=recipe.container_facts.names_tracks,
        is_padded=recipe.codec is VideoCodec.H264 and recipe.rate.kind is RateKind.BITRATE,
        begins_at_0=recipe.container is not Container.TS,
    )
