"""What a finish is made of: the files of a take, open, with their frames and samples as the plan keeps them."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import accumulate
from pathlib import Path
from typing import Any

from reel.core.finish import SPOKEN_HZ, FinishPlan, Origin, PacketIndex, Source, StreamPlan, Stretch, TrackFinish
from reel.core.media.cuts.mixing import converted, hushed, mixed, pull_of, pulled, undrifted
from reel.core.media.cuts.reading import PictureReader, SampleArray, opened, read_samples
from reel.core.media.cuts.sound import Heard, gain_to, stretched, treated
from reel.core.media.errors import MediaError
from reel.core.signal import FloatArray, SoundFormat


@dataclass(frozen=True, slots=True, kw_only=True)
class Files:
    """The files of a take, in their order, with what was read of each; `spoken` is that of what was spoken over it."""

    paths: Sequence[Path]
    sources: Sequence[Source]
    spoken: Path | None = None


@dataclass(frozen=True, slots=True)
class Material:
    """The files of a plan, each open. Used from one thread."""

    files: Files
    plan: FinishPlan
    readers: Sequence[Any]

    @property
    def paths(self) -> Sequence[Path]:
        return self.files.paths

    @property
    def sources(self) -> Sequence[Source]:
        return self.files.sources

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

    @property
    def begins(self) -> list[int]:
        """The take's tick that each file begins with, and the one that it ends at."""
        return [0, *accumulate(index.length for index in self.indices)]

    def sound_stream(self, planned: StreamPlan) -> Any:
        """Return the stream of a track of the take in its first file."""
        return self.readers[0].streams[planned.stream.index]

    def form(self, planned: StreamPlan) -> SoundFormat:
        """Return the format that the samples of a track have."""
        if planned.origin is not Origin.TAKE:
            return SoundFormat(rate_hz=planned.stream.rate_hz, channels=planned.stream.channels)
        source = self.sound_stream(planned).codec_context
        return SoundFormat(rate_hz=source.sample_rate, channels=source.channels)

    def samples(self, planned: StreamPlan) -> Iterator[SampleArray]:
        """Return the samples of a track, (channels, samples), stretch by stretch and as the plan has them treated."""
        if planned.origin is Origin.MIX:
            form = self.form(planned)
            return mixed([self._as(one, form) for one in planned.parts], form)
        change = planned.change
        if change is None or not change.is_treated:
            return self._heard(planned)
        form = self.form(planned)
        gain_db = gain_to(self._heard(planned), change, form) if change.loudness_lufs is not None else 0.0
        made = treated(self._heard(planned), change, form, gain_db)
        if change.under is None or planned.voice is None:
            return made
        voice = self._as(planned.voice, SoundFormat(rate_hz=form.rate_hz, channels=1))
        return pulled(made, pull_of(voice, form.rate_hz, change.under.by_db), form.rate_hz)

    def _as(self, planned: StreamPlan, form: SoundFormat) -> Iterator[FloatArray]:
        return converted(self.samples(planned), self.form(planned).rate_hz, form)

    def _heard(self, planned: StreamPlan) -> Iterator[SampleArray]:
        """Return the samples of all stretches of a track: out of each file, or out of what was spoken over all."""
        if planned.origin is Origin.SPOKEN:
            if self.files.spoken is None:
                raise MediaError(Path(self.plan.finish.commentary), "is not there: what was spoken is gone")
            heard = self._out_of(self.files.spoken, 0, Fraction(0), planned, self.plan.stretches, spans_all=True)
            yield from converted(heard, SPOKEN_HZ, self.form(planned))
            return
        order = self.sources[0].sounds.index(planned.stream)
        for place, path in enumerate(self.paths):
            mine = [one for one in self.plan.stretches if one.place == place]
            index = self.indices[place]
            if mine:
                number = self.sources[place].sounds[order].index
                yield from self._out_of(path, number, index.start * index.time_base, planned, mine, spans_all=False)

    def _out_of(
        self,
        path: Path,
        number: int,
        start_s: Fraction,
        planned: StreamPlan,
        stretches: Sequence[Stretch],
        *,
        spans_all: bool,
    ) -> Iterator[SampleArray]:
        """Return the samples of stretches out of a stream of a file, which has one part of the take, or `spans_all`."""
        change = planned.change or TrackFinish(track=1)
        with opened(path) as reader:
            stream = reader.streams[number]
            form = SoundFormat(rate_hz=stream.codec_context.sample_rate, channels=stream.codec_context.channels)
            rate_hz, slide = form.rate_hz, change.slide(form.rate_hz)
            heard = [self._samples_of(one, rate_hz, slide, self.begins[one.place] * spans_all) for one in stretches]
            length_s = self.begins[-1] / self.rate
            longer = change.drift(length_s)
            # what lies at a sample of the file is read out of what was less by as much
            end_s = max(Fraction(0), Fraction(heard[-1].end, rate_hz) / (1 + longer))
            blocks = read_samples(reader, stream, start_s, end_s)
            if longer:
                blocks = undrifted(blocks, form, longer)
            if change.muted:
                begin = 0 if spans_all else self.begins[stretches[0].place]
                edges = [
                    [(tick - begin) / self.rate * rate_hz for tick in (one.first, one.end)] for one in change.muted
                ]
                blocks = hushed(blocks, [(round(a) - slide, round(b) - slide) for a, b in edges], rate_hz)
            yield from stretched(blocks, heard, rate_hz, form.channels)

    def _samples_of(self, one: Stretch, rate_hz: int, slide: int, begin: int) -> Heard:
        """Return the samples of a stretch: as many as lie between where it begins and ends in what is made. `begin` is
        the take's tick that its file begins with, of what spans the take."""
        first = round((begin + one.kept.first) / self.rate * rate_hz) - slide
        made, end = (round(tick / self.rate * rate_hz) for tick in (one.made, one.made + one.kept.length))
        return Heard(first=first, end=first + end - made, fades_in=one.is_cut_in, fades_out=one.is_cut_out)
