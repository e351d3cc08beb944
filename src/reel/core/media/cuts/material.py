"""What a finish is made of: the files of a take, open, with their frames and samples as the plan keeps them."""

from bisect import bisect_right
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import accumulate
from pathlib import Path
from typing import Any

from reel.core.finish import SPOKEN_HZ, FinishPlan, Origin, PacketIndex, Source, StreamPlan, Stretch, TrackFinish
from reel.core.media.cuts.mixing import converted, hushed, mixed, pull_of, pulled, undrifted
from reel.core.media.cuts.reading import PictureReader, SampleArray, opened, read_samples
from reel.core.media.cuts.sound import Heard, gain_to, of_length, stretched, treated
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

    def _heard(self, planned: StreamPlan) -> Iterator[SampleArray]:
        """Return the samples of all stretches of a track, out of the take or of what was spoken over it, where they lie
        once it was moved, and without what is muted."""
        change, stretches = planned.change or TrackFinish(track=1), self.plan.stretches
        is_spoken = planned.origin is Origin.SPOKEN
        form = SoundFormat(rate_hz=SPOKEN_HZ, channels=1) if is_spoken else self.form(planned)
        rate_hz, slide = form.rate_hz, change.slide(form.rate_hz)
        longer = change.drift(self.begins[-1] / self.rate)
        begins = [round(tick / self.rate * rate_hz) for tick in self.begins]
        first = self._samples_of(stretches[0], rate_hz, slide).first
        # a clock that drifts is followed from the take's beginning on
        place = 0 if longer or is_spoken else max(0, bisect_right(begins, first, hi=len(self.paths)) - 1)
        heard = [self._samples_of(one, rate_hz, slide + begins[place]) for one in stretches]
        # what lies at a sample of the take is read out of what was less by as much
        end = max(0, round(heard[-1].end / (1 + longer)))
        blocks = self._spoken(end) if is_spoken else self._sound(planned, begins, place, end)
        if longer:
            blocks = undrifted(blocks, form, longer)
        if change.muted:
            edges = [[round(tick / self.rate * rate_hz) for tick in (one.first, one.end)] for one in change.muted]
            blocks = hushed(blocks, [(a - slide - begins[place], b - slide - begins[place]) for a, b in edges], rate_hz)
        taken = stretched(blocks, heard, rate_hz, form.channels)
        return converted(taken, SPOKEN_HZ, self.form(planned)) if is_spoken else taken

    def _spoken(self, end: int) -> Iterator[SampleArray]:
        """Return what was spoken over the take, until a sample of it."""
        if self.files.spoken is None:
            raise MediaError(Path(self.plan.finish.commentary), "is not there: what was spoken is gone")
        with opened(self.files.spoken) as reader:
            yield from read_samples(reader, reader.streams[0], Fraction(0), Fraction(end, SPOKEN_HZ))

    def _sound(self, planned: StreamPlan, begins: Sequence[int], place: int, end: int) -> Iterator[SampleArray]:
        """Return the samples of a track from a file on, those of the next ones where they begin, until a sample."""
        order, form, base = self.sources[0].sounds.index(planned.stream), self.form(planned), begins[place]
        for number in range(place, len(self.paths)):
            count, left = begins[number + 1] - begins[number], end - (begins[number] - base)
            if left <= 0 and number > place:
                return
            is_last = number == len(self.paths) - 1
            blocks = self._of_file(number, order, form, Fraction(left if is_last else min(left, count), form.rate_hz))
            yield from blocks if is_last else of_length(blocks, form.channels, count)

    def _of_file(self, number: int, order: int, form: SoundFormat, end_s: Fraction) -> Iterator[SampleArray]:
        """Return the samples of one of the tracks of a file, until a second, in the format of the take's first one;
        nothing where it has fewer tracks."""
        index, tracks = self.indices[number], self.sources[number].sounds
        if order >= len(tracks):
            return
        with opened(self.paths[number]) as reader:
            stream = reader.streams[tracks[order].index]
            blocks = read_samples(reader, stream, index.start * index.time_base, end_s)
            own = SoundFormat(rate_hz=stream.codec_context.sample_rate, channels=stream.codec_context.channels)
            yield from blocks if own == form else converted(blocks, own.rate_hz, form)

    def _samples_of(self, one: Stretch, rate_hz: int, before: int) -> Heard:
        """Return the samples of a stretch, so many `before` where the take has them: as many as lie between where it
        begins and ends in what is made."""
        first = round((self.begins[one.place] + one.kept.first) / self.rate * rate_hz) - before
        made, end = (round(tick / self.rate * rate_hz) for tick in (one.made, one.made + one.kept.length))
        return Heard(first=first, end=first + end - made, fades_in=one.is_cut_in, fades_out=one.is_cut_out)

    def _as(self, planned: StreamPlan, form: SoundFormat) -> Iterator[FloatArray]:
        return converted(self.samples(planned), self.form(planned).rate_hz, form)
