"""The proof: what was asked against what the file holds, line by line, with the cause of each difference."""

from collections.abc import Iterator, Sequence
from fractions import Fraction
from itertools import zip_longest

from reel.core.file import Expectations, FilePlan, expectations
from reel.core.measure.counts import Counts, LossCause
from reel.core.measure.examine import Appearance, Spans
from reel.core.measure.faults import distinct, gone, light
from reel.core.measure.proofline import MAX_PLACES, Proof, ProofGroup, ProofLine, Verdict, count, grouped, line, named
from reel.core.measure.soundproof import inputs, sound, sound_file
from reel.core.media.digest import SentFacts
from reel.core.media.facts import MediaFacts, VideoFacts
from reel.core.media.rate import RateFacts
from reel.core.signal import PIXEL_FORMATS, length_label, pixel_format, rate_label, timecode

# A constant bitrate may differ by this part, in takes long enough for the rate control to settle.
BITRATE_TOLERANCE = Fraction(1, 10)
SETTLED_S = 5
# A file begins with its first picture; only MPEG-TS counts from an instant of its own.
LATE_S = Fraction(1, 10)
# A part of the take in which the picture is black that is more than any scene would have.
FAULTY_PART = Fraction(1, 2)
_COLOURS = "Players go by these tags: they show its colours or its brightness otherwise than they were."
_MORE_BITS = "Ask for more bits, or let the quality be constant instead."
_COMBS = "Its pictures are coded as two fields: what moves has combs, and players deinterlace it."


def prove(
    plan: FilePlan,
    *,
    facts: MediaFacts,
    counts: Counts,
    seen: Appearance | None = None,
    sidecars: Sequence[MediaFacts | None] = (),
    found: SentFacts | None = None,
) -> Proof:
    """Hold a file's facts against what was asked. Only causes and clipping come from the recorder's `counts`.

    `seen` is what its pictures look like, `found` what its packets carry; None leaves those lines out. `sidecars` are
    the facts of the files of sound, in the plan's order; None for one that can't be read.
    """
    asked = expectations(plan)
    tracks = line("Picture tracks", "1", str(facts.pictures), cause="Players may show another one than was recorded.")
    container = line("Container", asked.container, facts.container, tells=True)
    lines = grouped(ProofGroup.CONTAINER, (container, *whole(facts), *_since(counts.written, found), tracks))
    if facts.video is None or not facts.video.frames:
        none = line("Picture", "1 track", "none", cause="The file holds no picture that can be decoded.")
        lines += grouped(ProofGroup.PICTURE, (none,))
    else:
        seen_as = looks(plan, facts.video, seen) if seen is not None else []
        lines += grouped(ProofGroup.PICTURE, (*_picture(plan, asked, facts.video), *light(counts), *seen_as))
        lines += grouped(ProofGroup.TIME, _time(plan, asked, facts.video, counts))
    files = zip_longest(plan.sound_files, sidecars)
    beside = (sound_file(plan, asked, name, one, facts.length_s) for name, one in files if name)
    lines += grouped(ProofGroup.SOUND, (*sound(plan, asked, facts, counts), *beside, *inputs(plan, counts)))
    return Proof(lines=tuple(lines))


def _since(written: SentFacts | None, found: SentFacts | None) -> list[ProofLine]:
    """Return whether a file carries what was written into it; nothing where that is not known."""
    if written is None or found is None:
        return []
    same = written.digests == found.digests
    got = "unchanged" if same else "changed"
    return [line("Since it was written", "unchanged", got, cause="Somebody or something changed the file afterwards.")]


def whole(facts: MediaFacts) -> list[ProofLine]:
    """Say what of the file can't be read or decoded."""
    damaged = sum(one.undecodable for one in (facts.video, *facts.sound) if one is not None)
    if not damaged and facts.broken_s is None:
        return [line("Damage", "none", "none")]
    got = f"{damaged} packets can't be decoded" if damaged else "none up to its end"
    if facts.broken_s is not None:
        got = f"{got}, ends at {length_label(facts.broken_s)}" if damaged else f"ends at {length_label(facts.broken_s)}"
    return [line("Damage", "none", got, cause="The file was damaged or cut off after it was written, or in writing.")]


def _picture(plan: FilePlan, asked: Expectations, video: VideoFacts) -> Iterator[ProofLine | None]:
    yield line("Size", plan.frame.size_label, f"{video.width_px}×{video.height_px}", tells=True)
    yield line("Codec, profile", named(asked.codec, asked.profile), named(video.codec, video.profile), tells=True)
    colours = f"{asked.matrix.value} {asked.range.value}"
    yield line("Matrix, range", colours, _colour(video), cause=_COLOURS, tells=True)
    if asked.has_transfer:
        curves = f"{_curve(video.transfer)}, {_curve(video.primaries)}"
        yield line("Transfer, primaries", "709, 709", curves, cause=_COLOURS)
    yield line("Pixel format", _pixels(asked.pixels), _pixels(video.pixels))
    yield line("Pixel shape", "square", _shape(video), cause="Players show it in another shape or turned.")
    yield line("Scan", "progressive", "interlaced" if video.is_interlaced else "progressive", cause=_COMBS)
    yield _level(asked, video)
    yield from _bitrate(asked, video) if not plan.made_of else (_plain_bitrate("–", video),)


def _time(plan: FilePlan, asked: Expectations, video: VideoFacts, counts: Counts) -> Iterator[ProofLine | None]:
    yield _rate(plan, video.rate)
    yield _keyframes(plan, asked, video)
    yield from _begins(asked, video)
    yield from _frames(plan, video, counts)
    yield from _together(plan, counts)
    yield from gone(plan, counts)


def _begins(asked: Expectations, video: VideoFacts) -> list[ProofLine]:
    """Say when its first picture is shown; nothing where the container counts from an instant of its own."""
    if not asked.begins_at_0:
        return []
    got = f"{float(video.start_s):.2f} s"
    cause = "A player waits, or shows nothing, before its first picture."
    return [line("Begins at", "0 s", "0 s" if video.start_s <= LATE_S else got, cause=cause)]


def _level(asked: Expectations, video: VideoFacts) -> ProofLine | None:
    if asked.level:
        return line("Level", asked.level, video.level, cause="The encoder took another one.")
    if video.level:
        return ProofLine(label="Level", asked="–", got=video.level, verdict=Verdict.NOTED)
    return None


def _rate(plan: FilePlan, rate: RateFacts | None) -> ProofLine:
    asked = "variable" if plan.as_it_comes else f"{_exact(plan.frame.rate)} fixed"
    if rate is not None and plan.as_it_comes:
        got = f"{rate_label(rate.rate)} {'fixed' if rate.fixed else 'on average'}"
        return ProofLine(label="Rate", asked=asked, got=got, verdict=Verdict.NOTED, tells=True)
    if rate is None:
        cause = "One picture is too few to measure a rate."
        return ProofLine(label="Rate", asked=asked, got="not known", verdict=Verdict.NOTED, cause=cause)
    got = f"{_exact(rate.rate)} {'fixed' if rate.fixed else 'varying'}"
    cause = "The time stamps in the file do not follow the rate that was asked."
    return line("Rate", asked, got, cause=cause, tells=True)


def _exact(rate: Fraction) -> str:
    """Return a rate exactly: `30`, `29.97 (30000/1001)`."""
    return str(rate) if rate.denominator == 1 else f"{rate_label(rate)} ({rate})"


def _pixels(name: str) -> str:
    return pixel_format(name).label if name in PIXEL_FORMATS else name or "unknown"


def _shape(video: VideoFacts) -> str:
    aspect = video.pixel_aspect
    shape = "square" if aspect == 1 else f"{aspect.numerator}:{aspect.denominator}"
    return f"{shape}, turned {video.turned_deg}°" if video.turned_deg else shape


# ITU-T H.273, tables 2 and 3: codes of colour primaries and of transfer characteristics.
_CURVES = {
    1: "709",
    4: "470 M",
    5: "470 BG",
    6: "601",
    7: "240M",
    8: "linear",
    9: "2020",
    13: "sRGB",
    16: "PQ",
    18: "HLG",
}


def _curve(code: int | None) -> str:
    return "untagged" if code is None else _CURVES.get(code, f"code {code}")


def _colour(video: VideoFacts) -> str:
    matrix = video.matrix.value if video.matrix else "untagged"
    return f"{matrix} {video.range.value if video.range else 'untagged'}"


def _keyframes(plan: FilePlan, asked_of: Expectations, video: VideoFacts) -> ProofLine:
    if asked_of.keyframe_ticks == 1:
        got = (
            "every picture" if video.keyframes == video.frames else f"{count(video.keyframes)} of {count(video.frames)}"
        )
        return line("Keyframes", "every picture", got, cause="Some pictures need others to be decoded.")

    def label(ticks: int) -> str:
        return f"{float(ticks / plan.frame.rate):.2f} s"

    asked = label(plan.keyframe_ticks)
    if not video.keyframes:
        return line("Keyframes", asked, "none", cause="No editor can step into it.")
    if plan.made_of:
        got = f"{count(video.keyframes)} in {count(video.frames)} frames"
        return ProofLine(label="Keyframes", asked="–", got=got, verdict=Verdict.NOTED)
    if video.keyframes == 1 and video.frames <= plan.keyframe_ticks:
        cause = "The take is shorter than that."
        return ProofLine(label="Keyframes", asked=asked, got="one only", verdict=Verdict.NOTED, cause=cause)
    cause = "The encoder set keyframes at other distances, or frames are missing between them."
    # behind the last one there may be fewer frames than asked, and not more
    steps = {*video.keyframe_ticks, *([video.last_stretch] if video.last_stretch > plan.keyframe_ticks else [])}
    low, high = min(steps, default=plan.keyframe_ticks), max(steps, default=plan.keyframe_ticks)
    got = label(low) if low == high else f"{label(low)[:-2]}–{label(high)}"
    return line("Keyframes", asked, got, cause=cause)


def _plain_bitrate(asked: str, video: VideoFacts) -> ProofLine:
    """Say what the picture's bitrate is, of which nothing was asked."""
    got = f"{video.bitrate_bps / 1e6:.1f} Mb/s"
    return ProofLine(label="Video bitrate", asked=asked, got=got, verdict=Verdict.NOTED)


def _bitrate(asked: Expectations, video: VideoFacts) -> Iterator[ProofLine]:
    yield _average(asked, video)
    if asked.second_bits is not None:
        yield line(
            "Busiest second",
            f"at most {asked.second_bits / 1e6:.1f} Mb",
            f"{video.peak_bits / 1e6:.1f} Mb",
            same=video.peak_bits <= (1 + BITRATE_TOLERANCE) * asked.second_bits,
            tolerance=f"+{float(BITRATE_TOLERANCE):.0%}",
            cause="The encoder could not hold the bitrate there.",
            todo=_MORE_BITS,
        )


def _average(asked: Expectations, video: VideoFacts) -> ProofLine:
    got = f"{video.bitrate_bps / 1e6:.1f} Mb/s"
    target_bps = asked.rate.target_bps
    if target_bps is None:
        return _plain_bitrate(asked.rate.label or f"as {asked.profile} has it", video)
    words = f"{target_bps / 1e6:.1f} Mb/s"
    if video.length_s < SETTLED_S:
        cause = f"A take under {SETTLED_S} s is too short to judge a bitrate."
        return ProofLine(label="Video bitrate", asked=words, got=got, verdict=Verdict.NOTED, cause=cause)
    same = abs(video.bitrate_bps - target_bps) <= BITRATE_TOLERANCE * target_bps
    if not same and video.bitrate_bps < target_bps and not asked.is_padded:
        cause = "The picture needed less than it was allowed."
        return ProofLine(label="Video bitrate", asked=words, got=got, verdict=Verdict.NOTED, cause=cause)
    return line(
        "Video bitrate",
        words,
        got,
        same=same,
        tolerance=f"±{float(BITRATE_TOLERANCE):.0%}",
        cause="The encoder could not hold the bitrate.",
        todo=_MORE_BITS,
    )


def _frames(plan: FilePlan, video: VideoFacts, counts: Counts) -> list[ProofLine]:
    rate = None if plan.as_it_comes else video.rate  # pictures that keep their times leave no tick empty
    expected = video.frames + (rate.missing if rate else 0)
    by_length = round(video.length_s * rate.rate) if rate and rate.fixed else expected
    asked = max(expected, by_length, counts.ticks)
    missing = asked - video.frames
    steps, todo = _steps(plan, missing, counts), _against_losses(missing, counts)
    lost = missing + counts.lost_before
    lines = [
        line("Frames", count(asked), count(video.frames), cause=steps, todo=todo),
        line("Lost frames", "0", count(lost), cause=steps, todo=todo),
    ]
    if counts.dropped or counts.repeated:
        got = f"{count(counts.repeated)} repeated, {count(counts.dropped)} dropped"
        cause = "The pictures that arrived were fitted to the file's rate; none that was due is missing by that."
        lines.append(ProofLine(label="Fitted", asked="–", got=got, verdict=Verdict.NOTED, cause=cause))
    return lines


def _against_losses(missing: int, counts: Counts) -> str:
    """Say what helps most against the losses of a take."""
    causes = [stretch.cause for stretch in counts.stretches for _ in range(stretch.ticks)]
    if counts.lost_encoder and counts.lost_encoder >= counts.lost_before:
        return "Choose a faster encoder speed, a smaller frame or a lower rate in File and Frame."
    if causes and causes.count(LossCause.NO_SIGNAL) * 2 >= len(causes):
        return "Look at the device and its cable: Path says where the signal ends."
    return "Close other programs, or take an arriving mode with fewer bits." if counts.lost_before else ""


def _together(plan: FilePlan, counts: Counts) -> list[ProofLine]:
    """Say how near a take began to the others that were begun by the same press."""
    late_ms = counts.began_late_ms
    if late_ms is None:
        return []
    picture_ms = float(1000 / plan.frame.rate)
    cause = "Its first picture came late: the others' files begin before it."
    return [
        line(
            "Begun together",
            "0 ms",
            f"{late_ms:+.1f} ms",
            same=late_ms <= picture_ms,
            tolerance=f"one picture, {picture_ms:.0f} ms",
            cause=cause,
            todo="Let both signals stand before rolling; a source of a higher rate begins sooner.",
        )
    ]


def _steps(plan: FilePlan, missing: int, counts: Counts) -> str:
    """Return which step lost how many frames, and where; what the file lacks beyond that went in writing it."""
    lost = dict.fromkeys(LossCause, 0)
    for stretch in counts.stretches:
        lost[stretch.cause] += stretch.ticks
    unplaced = counts.lost_before - lost[LossCause.NO_SIGNAL] - lost[LossCause.SKIPPED]
    at_encoder = min(missing, counts.lost_encoder)
    words = [
        (
            at_encoder,
            LossCause.ENCODER,
            "at the encoder, which fell behind: choose a faster encoder speed, a smaller size or a lower rate",
        ),
        (lost[LossCause.NO_SIGNAL], LossCause.NO_SIGNAL, "while no picture came: the one before stands in the file"),
        (
            lost[LossCause.SKIPPED] + unplaced,
            LossCause.SKIPPED,
            "on the way in: the source skipped them or Reel read too late",
        ),
    ]
    said = [f"{count(number)} {word}{_places(plan, counts, cause)}" for number, cause, word in words if number > 0]
    rest = missing - at_encoder
    if rest > 0:
        why = (
            "the recorder left no count of them" if counts.ticks == 0 else "they went in writing the file, or after it"
        )
        said.append(f"{count(rest)} {'is' if rest == 1 else 'are'} missing in the file: {why}")
    return "; ".join(said) + "." if said else ""


def _places(plan: FilePlan, counts: Counts, cause: LossCause) -> str:
    """Return the timecodes at which frames were lost by a cause."""
    found = [stretch for stretch in counts.stretches if stretch.cause is cause]
    if not found:
        return ""
    codes = [timecode(stretch.first_tick / plan.tick_rate, plan.frame.rate) for stretch in found[:MAX_PLACES]]
    more = f" and {len(found) - MAX_PLACES} more places" if len(found) > MAX_PLACES else ""
    return f" (at {', '.join(codes)}{more})"


def looks(plan: FilePlan, video: VideoFacts, seen: Appearance) -> list[ProofLine]:
    """Say for how long the picture is black, and for how long it does not change."""
    lines = []
    for label, asked, spans, cause, todo in (
        (
            "Blackness",
            "none",
            seen.black,
            "Black was recorded: the device sent it, or forbids capture.",
            "Turn copy protection off where the device has it, or take another of its outputs.",
        ),
        (
            "Standing still",
            "none",
            seen.still,
            "The picture did not change: nothing moved, or it froze on the way.",
            "Look whether the device sleeps or its mirror stands still.",
        ),
    ):
        if not spans.total_s:
            lines.append(line(label, asked, "none"))
            continue
        # a menu or a page that stands is a good take: only black can hardly be meant
        is_fault = spans is seen.black and spans.total_s >= FAULTY_PART * video.length_s
        verdict = Verdict.DIFFERS if is_fault else Verdict.NOTED
        lines.append(
            ProofLine(label=label, asked=asked, got=_spans(plan, spans), verdict=verdict, cause=cause, todo=todo)
        )
    if (moving := distinct(plan, video, seen)) is not None:
        lines.append(moving)
    return lines


def _spans(plan: FilePlan, spans: Spans) -> str:
    at = timecode(spans.longest_at_s, plan.frame.rate)
    if spans.longest_s == spans.total_s:
        return f"{length_label(spans.total_s)} from {at}"
    return f"{length_label(spans.total_s)} in all, the longest {length_label(spans.longest_s)} from {at}"
