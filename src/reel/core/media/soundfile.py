"""A sound track in a file of its own, beside the take: WAV or FLAC, without loss."""

from contextlib import ExitStack
from pathlib import Path

import av

from reel.core.file import FilePlan, SoundFiles
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.shelf import sidecar_folder
from reel.core.media.soundgraph import LAYOUTS, sound_frame
from reel.core.signal import FloatArray, SoundFormat

# Of SOUND_FILE_BITS; a WAV of more than 4 GB needs the header of EBU Tech 3306 (RF64).
_CODECS = {SoundFiles.WAV: "pcm_s24le", SoundFiles.FLAC: "flac"}
_OPTIONS = {SoundFiles.WAV: {"rf64": "auto", "flush_packets": "1"}, SoundFiles.FLAC: {"flush_packets": "1"}}


class SoundFile:
    """Writes one track, in 24 bits. What a killed writer leaves can be read up to its end by what goes by the data."""

    def __init__(self, path: Path, kind: SoundFiles, sound: SoundFormat) -> None:
        """Open the file; raises MediaError, and leaves nothing open, when it can't be."""
        self._path, self._rate_hz, layout = path, sound.rate_hz, LAYOUTS[sound.channels]
        self._position = 0
        with ExitStack() as undoing:
            try:
                self._container = av.open(str(path), "w", format=kind.value, options=_OPTIONS[kind])
                undoing.callback(self._container.close)
                stream = self._container.add_stream(_CODECS[kind], rate=self._rate_hz, layout=layout)
                assert isinstance(stream, av.AudioStream)
                stream.codec_context.format = av.AudioFormat("s32")
                self._whole = av.AudioResampler(format="s32", layout=layout, rate=self._rate_hz)
            except BROKEN as error:
                raise MediaError(path, f"could not be opened for writing ({reason_of(error)})") from error
            undoing.pop_all()
        self._stream = stream

    def write(self, data: FloatArray) -> None:
        """Write float32 (channels, samples) that follow on those before; raises MediaError."""
        frame = sound_frame(data, self._rate_hz, self._position)
        self._position += data.shape[1]
        try:
            for whole in self._whole.resample(frame):
                self._container.mux(self._stream.encode(whole))
        except BROKEN as error:
            raise MediaError(self._path, f"could not be written ({reason_of(error)})") from error

    def close(self) -> None:
        """Close the file; raises MediaError."""
        try:
            try:
                self._container.mux(self._stream.encode(None))
            finally:
                self._container.close()
        except BROKEN as error:
            raise MediaError(self._path, f"could not be closed ({reason_of(error)})") from error


class SoundFilesBeside:
    """The files of a take at `path`, one for each track, in a folder; none where the plan asks for none."""

    def __init__(self, path: Path, plan: FilePlan) -> None:
        """Open them; raises MediaError, and leaves nothing open, when one can't be."""
        folder, names = sidecar_folder(path), plan.sound_files
        self._files: list[SoundFile] = []
        try:
            if names:
                folder.mkdir(exist_ok=True)
        except OSError as error:
            raise MediaError(folder, f"can't be made ({error.strerror})") from error
        try:
            for name in names:
                self._files.append(SoundFile(folder / name, plan.recipe.sound_files, plan.recipe.sound))
        except MediaError:
            self.close()
            raise

    def write(self, track: int, data: FloatArray) -> None:
        """Write what follows on a track (from 0); raises MediaError."""
        if self._files:
            self._files[track].write(data)

    def close(self) -> None:
        """Close all; raises MediaError after that. A second call does nothing."""
        files, self._files = self._files, []
        with ExitStack() as closing:
            for file in files:
                closing.callback(file.close)
