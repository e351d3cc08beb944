"""What a browser plays: a file as it is, its packets in another container, or a copy that is encoded anew."""

from collections.abc import Sequence
from enum import StrEnum

from reel.core.file.codec_facts import Chroma, VideoCodec
from reel.core.file.codecs import CODECS
from reel.core.file.containers import CONTAINERS, SOUND_CODECS, Container, SoundCodec
from reel.core.file.encoder import encoder_settings
from reel.core.file.plan import FilePlan
from reel.core.file.rate import RateKind
from reel.core.file.recipe import Draft, Recipe

# What the browsers in use all play; HEVC plays on some machines only, and elsewhere silently not.
_SOUND = (SoundCodec.AAC, SoundCodec.OPUS, SoundCodec.FLAC, SoundCodec.MP3)
_CONTAINERS = (Container.MP4, Container.MP4_PLAIN, Container.WEBM)


class Plays(StrEnum):
    """How a browser plays a file."""

    ITSELF = "itself"
    REWRAPPED = "rewrapped"
    ENCODED = "encoded"


def plays(plan: FilePlan) -> Plays:
    """Say how a browser plays a file of a plan."""
    recipe = plan.recipe
    if recipe.as_sent:  # what that is, is known only when it comes
        return Plays.ENCODED
    if not (_plays_picture(recipe) and recipe.sound_codec in _SOUND):
        return Plays.ENCODED
    reorders = encoder_settings(plan).b_frames > 0
    return _how(CONTAINERS[recipe.container].name, recipe.codec, varies=plan.as_it_comes, reorders=reorders)


def plays_as_found(
    container: str, codec: str, pixels: str, sounds: Sequence[str], *, varies: bool, reorders: bool
) -> Plays:
    """Say how a browser plays a file by what was found in it: names as people have them, pixels as libav has.

    Frames lie at fixed distances, or it `varies`; it `reorders` where some are coded after those that follow on them.
    """
    fine = {CODECS[one].label: one for one in (VideoCodec.H264, VideoCodec.VP9, VideoCodec.AV1)}
    heard = {SOUND_CODECS[one].label for one in _SOUND}
    if codec not in fine or pixels not in ("yuv420p", "yuvj420p") or not heard.issuperset(sounds):
        return Plays.ENCODED
    return _how(container, fine[codec], varies=varies, reorders=reorders)


def _how(container: str, codec: VideoCodec, *, varies: bool, reorders: bool) -> Plays:
    """Say how a picture is played that browsers decode, so that they show the frame that is sought.

    Where distances vary they may show another one: how long a frame stands neither WebM says nor a decoder of VP9, and
    an MP4 is entered by the times at which frames are decoded.
    """
    if varies and (codec is VideoCodec.VP9 or (codec is VideoCodec.H264 and reorders)):
        return Plays.ENCODED
    opens = {CONTAINERS[one].name for one in _CONTAINERS if not (varies and one is Container.WEBM)}
    return Plays.ITSELF if container in opens else Plays.REWRAPPED


def _plays_picture(recipe: Recipe) -> bool:
    if recipe.chroma is not Chroma.C420:
        return False
    if recipe.codec is VideoCodec.AV1:
        return True
    is_plain = recipe.bits == 8 and recipe.rate.kind is not RateKind.LOSSLESS
    return is_plain and recipe.codec in (VideoCodec.H264, VideoCodec.VP9)


def has_few_players(draft: Draft) -> bool:
    """Return whether its picture has more colour samples or bits than phones and browsers decode of its codec.

    What they decode in hardware: H.264 up to High, HEVC up to Main 10, VP9 and AV1 with 4:2:0.
    """
    if draft.codec not in (VideoCodec.H264, VideoCodec.HEVC, VideoCodec.VP9, VideoCodec.AV1):
        return False
    return draft.chroma is not Chroma.C420 or (draft.codec is VideoCodec.H264 and draft.bits > 8)
