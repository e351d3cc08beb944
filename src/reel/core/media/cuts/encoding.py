"""Encoding what is kept of a take anew, by the recipe of a finish and with the writer that writes takes."""

from collections.abc import Callable, Iterator
from contextlib import ExitStack
from dataclasses import replace
from fractions import Fraction
from functools import partial
from pathlib import Path

from reel.core.errors import BadValueError
from reel.core.file import ConstantBitrate, FilePlan, RateControl, RateKind, Recipe, VariableBitrate
from reel.core.file.rate import BITRATE_BPS
from reel.core.finish import Fate, FinishPlan, Source, StreamPlan, file_plan_of
from reel.core.media.cuts.material import Files, Material
from reel.core.media.cuts.mixing import converted
from reel.core.media.cuts.pictures import made_frames
from reel.core.media.cuts.reading import opened
from reel.core.media.cuts.sound import at_speed, of_length
from reel.core.media.digest import SentFacts
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.hashes import frame_hash
from reel.core.media.writer import PartWriter, Shape
from reel.core.signal import FloatArray, SoundFormat

Tell = Callable[[float], None]
# A file of a size is made again, with its bitrate put right, until it is within this part of it; so often at most.
SIZE_TOLERANCE = Fraction(2, 100)
MAX_PASSES = 3
# What containers and encoders add to what bitrates say, before it is known.
_OVERHEAD = Fraction(98, 100)


def encode(files: Files, target: Path, plan: FinishPlan, tell: Tell) -> SentFacts:
    """Encode what a plan keeps of files into one; returns what was written of each of its streams.

    Where its finish has a size, it is encoded again, with its bitrate put right, until it is within SIZE_TOLERANCE of
    that; material that is too plain to fill a file gives a smaller one. Raises MediaError.
    """
    asked, encoding = file_plan_of(plan), plan.finish.encoding
    if encoding is None or encoding.size_bytes is None:
        return _encode(files, target, plan, asked, tell)
    wanted, got = encoding.size_bytes, 0
    video_bps = first_bps(plan, asked, wanted)
    for number in range(MAX_PASSES):
        one = replace(asked, recipe=replace(asked.recipe, rate=rate_of(asked.recipe, video_bps)))
        written = _encode(files, target, plan, one, partial(_part_of, tell, number))
        before, got = got, target.stat().st_size
        if abs(got - wanted) <= SIZE_TOLERANCE * wanted:
            return written
        video_bps = max(BITRATE_BPS[0], round(video_bps + (wanted - got) * 8 / plan.length_s))
        is_full = before > 0 and got - before < SIZE_TOLERANCE * wanted
        if got < wanted and (is_full or number == MAX_PASSES - 1):
            return written
    raise MediaError(target, f"came to {got / 1e6:.1f} MB; {wanted / 1e6:.1f} MB can't be met with this codec")


def kept_hashes(files: Files, plan: FinishPlan) -> Iterator[str]:
    """Decode what a plan keeps of files, and return the hash of each frame; raises MediaError."""
    with ExitStack() as stack:
        material = Material(files, plan, [stack.enter_context(opened(path)) for path in files.paths])
        for one in plan.stretches:
            yield from (frame_hash(frame) for frame in material.picture(one.place).frames(one.kept))


def _part_of(tell: Tell, number: int, part: float) -> None:
    tell((number + part) / MAX_PASSES)


def rate_of(recipe: Recipe, bitrate_bps: int) -> RateControl:
    """Return the rate control by which a recipe's codec takes a bitrate: one that varies, where it has that."""
    if RateKind.VARIABLE in recipe.codec_facts.rates:
        return VariableBitrate(bitrate_bps=bitrate_bps, max_bps=min(BITRATE_BPS[1], 2 * bitrate_bps))
    return ConstantBitrate(bitrate_bps=bitrate_bps)


def first_bps(plan: FinishPlan, asked: FilePlan, wanted: int) -> int:
    """Return the picture's bits a second with which a file of a size is first made; raises BadValueError where there
    are too few."""
    sound = asked.recipe.sound_bitrate_bps * len(asked.tracks)
    left = round(wanted * 8 * _OVERHEAD / plan.length_s - sound)
    if left < BITRATE_BPS[0]:
        least = float((BITRATE_BPS[0] + sound) * plan.length_s / 8 / _OVERHEAD)
        raise BadValueError("Size", f"{wanted / 1e6:.1f} MB", f"its length and tracks take {least / 1e6:.1f} MB")
    return min(left, BITRATE_BPS[1])


def _encode(files: Files, target: Path, plan: FinishPlan, asked: FilePlan, tell: Tell) -> SentFacts:
    try:
        with ExitStack() as stack:
            material = Material(files, plan, [stack.enter_context(opened(path)) for path in files.paths])
            writer = stack.enter_context(PartWriter(target, asked, shape=_shape(plan, files.sources[0])))
            tracks = [_Track(material, one, asked.recipe.sound) for one in plan.sounds if one.fate is not Fate.LEFT_OUT]
            count = 0
            for tick, frame in made_frames(material, asked.signal):
                at_s = tick / asked.frame.rate
                for number, track in enumerate(tracks):
                    for data in track.until(at_s):
                        writer.write_samples(number, data)
                writer.write_picture(frame, tick)
                count += 1
                if count % 30 == 0:
                    tell(min(1.0, float(at_s / plan.length_s)))
            for number, track in enumerate(tracks):
                for data in track.until(plan.length_s):
                    writer.write_samples(number, data)
            if count != plan.frames:
                raise MediaError(files.paths[0], f"gave {count} of {plan.frames} frames: some of it can't be decoded")
            writer.close()
            return writer.facts
    except MediaError:
        raise
    except BROKEN as error:
        raise MediaError(target, f"could not be written ({reason_of(error)})") from error


def _shape(plan: FinishPlan, source: Source) -> Shape:
    """Return how frames that stay as they are coded are shown; those that are made anew are upright and square."""
    picture = source.pictures[0]
    return Shape(aspect=picture.coded[2], turned_deg=picture.turned_deg) if plan.finish.keeps_frames else Shape()


class _Track:
    """The samples of a track, brought to the recipe's format and the speed of the picture, given up to a second."""

    def __init__(self, material: Material, planned: StreamPlan, sound: SoundFormat) -> None:
        plan = material.plan
        blocks = converted(material.samples(planned), material.form(planned).rate_hz, sound)
        if plan.speed != 1:
            blocks = at_speed(blocks, sound, plan.speed)
        self._blocks = of_length(blocks, sound.channels, round(plan.length_s * sound.rate_hz))
        self._sound, self._given = sound, 0

    def until(self, at_s: Fraction) -> Iterator[FloatArray]:
        """Return blocks until the samples reach a second, or there are no more."""
        while self._given < at_s * self._sound.rate_hz:
            data = next(self._blocks, None)
            if data is None:
                return
            self._given += data.shape[1]
            yield data
