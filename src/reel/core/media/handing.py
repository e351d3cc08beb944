"""Files made of a file without encoding its picture anew: chapters in it, a track of it."""

from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.audio.resampler import AudioResampler

from reel.core.file import SoundFiles
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.rewrap import copy_packets
from reel.core.media.soundfile import SoundFile
from reel.core.media.streams import open_to_read, pictures_of, sounds_of
from reel.core.signal import SoundFormat

# Endings of containers that hold chapters.
WITH_CHAPTERS = ("mp4", "mkv", "mov")
# A longer hole in a track's time is a stamp that is wrong.
MAX_SILENCE_S = 12 * 3600


def with_chapters(
    source: Path, target: Path, chapters: Sequence[tuple[Fraction, Fraction, str]], progress: Callable[[float], None]
) -> None:
    """Copy every packet of a file into a new one of the same container that has chapters, (from, to, title) in seconds.

    `progress` is told the part that is done (0 to 1); it may raise to call the work off. Raises MediaError.
    """
    try:
        copy_packets(source, target, progress, chapters=chapters)
    except BROKEN as error:
        raise MediaError(source, f"can't be copied with chapters ({reason_of(error)})") from error


def sound_of(source: Path, target: Path, track: int, kind: SoundFiles, progress: Callable[[float], None]) -> None:
    """Write one sound track (from 0) of a file as WAV or FLAC of its own, in 24 bits; raises MediaError.

    What the file leaves out in time is silence, so that it stays in step.
    """
    try:
        with open_to_read(source) as reader:
            stream = sounds_of(reader)[track]
            channels = min(2, stream.channels)
            form = AudioResampler(format="fltp", layout="stereo" if channels == 2 else "mono", rate=stream.rate)
            file = SoundFile(target, kind, SoundFormat(rate_hz=stream.rate, channels=channels))
            try:
                _write(reader, stream, form, file, progress)
            finally:
                file.close()
    except MediaError:
        raise
    except (*BROKEN, IndexError) as error:
        raise MediaError(source, f"has no sound track {track + 1} that can be read") from error


def _write(
    reader: "av.container.InputContainer",
    stream: "av.AudioStream",
    form: AudioResampler,
    file: SoundFile,
    progress: Callable[[float], None],
) -> None:
    length_s, written = (reader.duration or 0) / av.time_base, 0
    begins_s = _begin_of(reader)
    for frame in reader.decode(stream):
        if frame.pts is not None and frame.time_base is not None:
            missing = round((frame.pts * frame.time_base - begins_s) * stream.rate) - written
            if stream.rate // 20 < missing < MAX_SILENCE_S * stream.rate:
                channels = form.layout.nb_channels
                file.write(np.zeros((channels, missing), dtype=np.float32))
                written += missing
        for block in form.resample(frame):
            file.write(np.asarray(block.to_ndarray(), dtype=np.float32))
            written += block.samples
        if length_s and frame.time is not None:
            progress(min(1.0, frame.time / length_s))


def _begin_of(reader: "av.container.InputContainer") -> Fraction:
    """Return the second at which the picture begins, or the first track where there is none."""
    first = (pictures_of(reader) or sounds_of(reader))[0]
    return (first.start_time or 0) * (first.time_base or Fraction(0))
