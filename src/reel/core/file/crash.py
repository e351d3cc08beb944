"""What a crash can cost: what encoder, container and queue hold of what was recorded and is not in the file yet."""

from fractions import Fraction

from reel.core.file.codec_facts import VideoCodec
from reel.core.file.encoder import encoder_settings
from reel.core.file.plan import FilePlan

# Pictures that encoders hold beyond what they are told to look ahead, as measured with the libraries of
# requirements.txt (a test holds them against each effort): x264 as many as work side by side, x265 its B-frames and 3.
_X264_MORE, _X265_MORE, _ONE = 4, 4, 1
# SVT-AV1's presets up to this one look ahead further. Its threads hold a few pictures more while the processor is busy:
# 58 were found on one that had nothing else to do, 61 beside other work.
_SVT_SLOW, _SVT_HELD = 8, {True: 96, False: 64}


def held_pictures(plan: FilePlan) -> int:
    """Return how many pictures an encoder has at most taken and not given back."""
    recipe, told = plan.recipe, encoder_settings(plan)
    if recipe.codec is VideoCodec.H264:
        ahead = int(told.options["rc-lookahead"])
        return max(ahead, told.b_frames) + _X264_MORE if recipe.tune != "zerolatency" else _ONE
    if recipe.codec is VideoCodec.HEVC:
        own = recipe.chosen_effort.lookahead if recipe.chosen_effort else 0
        ahead = own if recipe.lookahead is None else recipe.lookahead
        return max(ahead, told.b_frames + 1) + told.b_frames + _X265_MORE
    if recipe.codec is VideoCodec.AV1:
        return max(_SVT_HELD[int(recipe.effort) <= _SVT_SLOW], 2 * (recipe.lookahead or 0))
    return max(_ONE, recipe.lookahead or 0)


def crash_cost_s(plan: FilePlan, waiting: int = 0) -> Fraction | None:
    """Return the seconds of what is recorded that a crash costs at most, with `waiting` pictures in the queue.

    None where the container can't be read before it is closed: then it costs the part.
    """
    container = plan.recipe.container_facts
    if not container.survives:
        return None
    if plan.recipe.as_sent:
        return container.held_s
    kept = encoder_settings(plan).b_frames + 1 if container.muxer in ("mp4", "mov") else 0
    picture_s = plan.lapse / plan.frame.rate
    return (held_pictures(plan) + kept + waiting + 1) * picture_s + max(container.held_s, picture_s)
