"""Looking at a file's picture before it is finished: its levels, black bars, and whether its fields come apart."""

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from reel.core.frame import Crop
from reel.core.measure.bars import BarFinder
from reel.core.measure.fields import FieldProbe, FieldVerdict
from reel.core.measure.levels import Levels, levels_of
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.planes import luma_of
from reel.core.media.streams import open_to_read, pictures_of
from reel.core.media.upright import Upright
from reel.core.signal import NS, PIXEL_FORMATS, Picture

# At so many places, evenly over the file, so many frames in a row are looked at.
PLACES, IN_A_ROW = 12, 4


@dataclass(frozen=True, slots=True, kw_only=True)
class Looks:
    """What frames of a file show: their levels; the black bars, an empty crop for none; whether their fields are
    moments of their own or hold film, and then whether the top one comes first.
    """

    levels: Levels
    bars: Crop
    fields: FieldVerdict
    top_first: bool


def look_at(path: Path, rate: Fraction) -> Looks:
    """Look at some frames of a file of a rate, evenly over its length; raises MediaError."""
    histogram, bars = np.zeros(256, dtype=np.int64), BarFinder()
    probes = {top_first: FieldProbe(rate, top_first=top_first) for top_first in (True, False)}
    try:
        for picture in _pictures(path):
            luma = luma_of(picture.frame)
            bars.feed(luma)
            if picture.sequence % IN_A_ROW == 0:
                histogram += np.bincount(luma.ravel(), minlength=256).astype(np.int64)
            for probe in probes.values():
                probe.feed(picture)
    except BROKEN as error:
        raise MediaError(path, f"can't be looked at ({reason_of(error)})") from error
    if not histogram.any():
        raise MediaError(path, "has no frame that can be looked at")
    found = bars.result()
    fields, top_first = _fields(probes)
    crop = found.crop if found is not None else Crop()
    return Looks(levels=levels_of(histogram), bars=crop, fields=fields, top_first=top_first)


def _fields(probes: dict[bool, FieldProbe]) -> tuple[FieldVerdict, bool]:
    """Return what was found in the order of fields that goes with it."""
    verdicts = {top_first: probe.result().verdict for top_first, probe in probes.items()}
    for wanted in (FieldVerdict.APART, FieldVerdict.FILM):
        for top_first, verdict in verdicts.items():
            if verdict is wanted:
                return verdict, top_first
    return verdicts[True], True


def _pictures(path: Path) -> Iterator[Picture]:
    """Return the frames that are looked at; those in a row are numbered so, and what is no luma is left out."""
    with open_to_read(path) as reader:
        stream = next(iter(pictures_of(reader)), None)
        if stream is None:
            raise MediaError(path, "has no picture")
        stream.thread_type = "AUTO"
        length, upright = (reader.duration or 0) / av.time_base, Upright()
        for place in range(PLACES):
            if place:
                reader.seek(round(length * place / PLACES * av.time_base))
            for number, frame in zip(range(IN_A_ROW), reader.decode(stream), strict=False):
                if frame.format.name not in PIXEL_FORMATS or frame.format.name.startswith(("rgb", "bgr", "gbr")):
                    continue
                sequence = 2 * place * IN_A_ROW + number  # a gap lies between two places
                yield Picture(at_ns=sequence * NS, sequence=sequence, frame=upright.apply(frame))
