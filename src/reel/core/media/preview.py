"""A small copy of a file that every browser plays, for what it does not play itself."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.audio.resampler import AudioResampler

from reel.core.file import ConstantQuality, Container, FilePlan, Recipe
from reel.core.frame import fit, turned, with_square_pixels
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.framing import Framer
from reel.core.media.streams import open_to_read, pictures_of, sounds_of
from reel.core.media.upright import Upright, aspect_of, first_turn
from reel.core.media.writer import PartWriter
from reel.core.signal import Mode

_LONGER_PX = 1280
# Without B-frames a browser enters it at any frame, whatever their distances: see core.file.browser.
_RECIPE = Recipe(container=Container.MP4, rate=ConstantQuality(quality=24), effort="veryfast", b_frames=0)


def encode_for_browser(source: Path, target: Path, progress: Callable[[float], None]) -> None:
    """Encode a file anew as a small MP4 of H.264 and AAC, at its own times; raises MediaError.

    `progress` is told the part that is done (0 to 1); it may raise to call the work off.
    """
    try:
        with open_to_read(source) as first:
            turn = first_turn(first)
        with open_to_read(source) as reader:
            pictures = pictures_of(reader)[0]
            pictures.thread_type = "AUTO"
            width_px, height_px, aspect = turned(pictures.width, pictures.height, aspect_of(pictures), turn)
            shown = with_square_pixels(width_px, height_px, aspect)
            size = fit(shown, (min(_LONGER_PX, shown[0]), min(_LONGER_PX, shown[1])))
            mode = Mode(width_px=size.width_px, height_px=size.height_px, rate=Fraction(pictures.average_rate or 30))
            names = tuple(f"Track {number}" for number, _ in enumerate(sounds_of(reader), start=1))
            plan = FilePlan(recipe=_RECIPE, frame=mode, as_it_comes=True, tracks=names)
            with PartWriter(target, plan) as writer:
                _copy(reader, writer, plan, turn, aspect, progress)
    except MediaError:
        raise
    except (*BROKEN, IndexError) as error:
        raise MediaError(source, f"can't be copied for the browser ({reason_of(error)})") from error


def _copy(
    reader: "av.container.InputContainer",
    writer: PartWriter,
    plan: FilePlan,
    turn: int,
    aspect: Fraction,
    progress: Callable[[float], None],
) -> None:
    framer, upright, sounds = Framer(plan.signal, exact=False), Upright(), [_Sound() for _ in plan.tracks]
    places = {stream.index: place for place, stream in enumerate(sounds_of(reader))}
    length_s = (reader.duration or 0) / av.time_base
    start_s: Fraction | None = None
    tick = -1
    for packet in reader.demux([pictures_of(reader)[0], *sounds_of(reader)]):
        for frame in packet.decode():
            if not isinstance(frame, av.VideoFrame | av.AudioFrame) or frame.pts is None or frame.time_base is None:
                continue
            at_s = frame.pts * frame.time_base
            start_s = at_s if start_s is None else start_s
            if isinstance(frame, av.VideoFrame):
                tick = max(tick + 1, round((at_s - start_s) * plan.tick_rate))
                frame.pts = None
                writer.write_picture(framer.apply(upright.apply(frame, turn), aspect), tick)
                if length_s:
                    progress(min(1.0, float(at_s - start_s) / length_s))
            else:
                place = places[packet.stream.index]
                writer.write_samples(place, sounds[place].taken(frame, at_s - start_s))


class _Sound:
    """One track on its way: as 48 kHz stereo without a hole."""

    def __init__(self) -> None:
        self._form = AudioResampler(format="fltp", layout="stereo", rate=_RECIPE.sound_rate_hz)
        self._count = 0

    def taken(self, frame: av.AudioFrame, at_s: Fraction) -> "np.ndarray[tuple[int, int], np.dtype[np.float32]]":
        """Return the samples (2, n) that follow on those before, with silence for what is missing before them."""
        frame.pts = None
        found = [block.to_ndarray() for block in self._form.resample(frame)]
        data = np.concatenate(found, axis=1) if found else np.zeros((2, 0), dtype=np.float32)
        missing = round(at_s * _RECIPE.sound_rate_hz) - self._count
        if missing > _RECIPE.sound_rate_hz // 20:
            data = np.concatenate([np.zeros((2, missing), dtype=np.float32), data], axis=1)
        self._count += data.shape[1]
        return data.astype(np.float32, copy=False)
