"""What a finish is made of: the files of a take, open, with their frames and samples as the plan keeps them."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

from reel.core.finish import FinishPlan, PacketIndex, Source, StreamPlan, Stretch
from reel.core.media.cuts.reading import PictureReader, SampleArray, opened, read_samples
from reel.core.media.cuts.sound import Heard, gain_to, stretched, treated
from reel.core.signal import SoundFormat


@dataclass(frozen=True, slots=True)
class Material:
    """The files of a plan, in their order: what was read of each, and each open. Used from one thread."""

    paths: Sequence[Path]
    sources: Sequence[Source]
    plan: FinishPlan
    readers: Sequence[Any]

    @property
    def indices(self) -> list[PacketIndex]:
        """The packets of the files' pictures."""
        return [source.packets for source in self.sources if source.packets is not None]

    @property
    def rate(self) -> Fraction:
        """Ticks per second."""
        return self.indices[0].rate

    @property
    def length_s(self) -> Fraction:
        """Seconds of all that is kept."""
        return sum(one.kept.length for one in self.plan.stretches) / self.rate

    def stream(self, place: int) -> Any:
        """Return the stream of a file's picture."""
        return self.readers[place].streams[self.sources[place].pictures[0].index]

    def picture(self, place: int) -> PictureReader:
        """Return what reads a file's picture."""
        return PictureReader(self.paths[place], self.readers[place], self.stream(place), self.indices[place])

    def sound_stream(self, planned: StreamPlan) -> Any:
        """Return the stream of a track in the first file."""
        return self.readers[0].streams[planned.stream.index]

    def samples(self, planned: StreamPlan) -> Iterator[SampleArray]:
        """Return the samples of a track, (channels, samples), stretch by stretch and as the plan has them treated."""
        change, source = planned.change, self.sound_stream(planned).codec_context
        if change is None or not change.is_treated:
            return self._heard(planned, 0)
        form = SoundFormat(rate_hz=source.sample_rate, channels=source.channels)
        slide = change.slide(form.rate_hz)
        gain_db = gain_to(self._heard(planned, slide), change, form) if change.loudness_lufs is not None else 0.0
        return treated(self._heard(planned, slide), change, form, gain_db)

    def _heard(self, planned: StreamPlan, slide: int) -> Iterator[SampleArray]:
        """Return the samples of all stretches of a track, by its place among the sounds of each file, so much later."""
        order = self.sources[0].sounds.index(planned.stream)
        for place, path in enumerate(self.paths):
            mine = [one for one in self.plan.stretches if one.place == place]
            if not mine:
                continue
            with opened(path) as reader:
                stream, index = reader.streams[self.sources[place].sounds[order].index], self.indices[place]
                rate_hz = stream.codec_context.sample_rate
                heard = [self._samples_of(one, rate_hz, slide) for one in mine]
                end_s = Fraction(heard[-1].end, rate_hz)
                blocks = read_samples(reader, stream, index.start * index.time_base, end_s)
                yield from stretched(blocks, heard, rate_hz, stream.codec_context.channels)

    def _samples_of(self, one: Stretch, rate_hz: int, slide: int) -> Heard:
        """Return the samples of a stretch: as many as lie between where it begins and ends in what is made."""
        first = round(one.kept.first / self.rate * rate_hz) - slide
        made, end = (round(tick / self.rate * rate_hz) for tick in (one.made, one.made + one.kept.length))
        return Heard(first=first, end=first + end - made, fades_in=one.is_cut_in, fades_out=one.is_cut_out)
