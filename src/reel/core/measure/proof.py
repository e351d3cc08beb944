"""The proof: what was asked against what the file holds, line by line, with the cause of each difference."""

from collections.abc import Iterator, Sequence
from fractions import Fraction
from itertools import zip_longest

from reel.core.file import Expectations, FilePlan, expectations
from reel.core.measure.counts import Counts, InputCounts, LossCause
from reel.core.measure.examine import Appearance, Spans
from reel.core.measure.faults import clipping, distinct, gone, silence
from reel.core.measure.proofline import Proof, ProofLine, Verdict, count, line
from reel.core.media.digest import SentFacts
from reel.core.media.probe import MediaFacts, SoundFacts, VideoFacts
from reel.core.media.rate import RateFacts
from reel.core.signal import PIXEL_FORMATS, length_label, pixel_format, rate_label, timecode

# A constant bitrate may differ by this part, in takes long enough for the rate control to settle.
BITRATE_TOLERANCE = Fraction(1, 10)
SETTLED_S, SOUND_SETTLED_S = 5, 2
# ITU-R BT.1359: sound this far from the picture is not noticed.
SYNC_TOLERANCE_S = Fraction(40, 1000)
# Codecs of sound hold their bitrate on average only.
SOUND_BITRATE_SLACK = Fraction(3, 10)
# A file begins with its first picture; only MPEG-TS counts from an instant of its own.
LATE_S = Fraction(1, 10)
# Picture and sound end together to within a block of the sound's codec and one picture at 24 a second.
PICTURE_S = Fraction(1, 24)
# A part of the take in which the picture is black that is more than any scene would have.
FAULTY_PART = Fraction(1, 2)
# A stretching of sound under this is not worth a line: it is what a few seconds can't tell from none.
LEAST_PPM = 5
_COMBS = "Its pictures are coded as two fields: what moves has combs, and players deinterlace it."
# As many places of losses are named.
MOST_PLACES = 3


def prove(
    plan: FilePlan,
    *,
    facts: MediaFacts,
    counts: Counts,
    seen: Appearance | None = None,
    beside: Sequence[MediaFacts | None] = (),
    found: SentFacts | None = None,
) -> Proof:
    """Hold a file's facts against what was asked. Only the causes of losses come from the recorder's `counts`.

    `seen` is what its pictures look like, `found` what its packets carry; None leaves those lines out. `beside` are the
    facts of the files of sound, in the plan's order; None for one that can't be read.
    """
    asked = expectations(plan)
    lines = [line("Container", asked.container, facts.container), *whole(facts), *_since(counts.written, found)]
    lines.append(
        line("Picture tracks", "1", str(facts.pictures), cause="Players may show another one than was recorded.")
    )
    if facts.video is None or not facts.video.frames:
        lines.append(line("Picture", "1 track", "none", cause="The file holds no picture that can be decoded."))
    else:
        lines += _picture(plan, asked, facts.video)
        lines += _frames(plan, facts.video, counts)
        lines += _together(plan, counts)
        lines += gone(plan, counts)
        if seen is not None:
            lines += looks(plan, facts.video, seen)
    lines += _sound(plan, asked, facts, counts)
    lines += [
        _sound_file(plan, asked, name, one, facts.length_s)
        for name, one in zip_longest(plan.sound_files, beside)
        if name
    ]
    lines += _inputs(plan, counts)
    return Proof(lines=tuple(lines))


def _since(written: SentFacts | None, found: SentFacts | None) -> list[ProofLine]:
    """Say whether a file carries what was written into it; nothing where that is not known."""
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


def _picture(plan: FilePlan, asked: Expectations, video: VideoFacts) -> list[ProofLine]:
    lines = [
        line("Size", plan.frame.size_label, f"{video.width_px}×{video.height_px}"),
        _rate(plan, video.rate),
        *_begins(asked, video),
        line("Scan", "progressive", "interlaced" if video.is_interlaced else "progressive", cause=_COMBS),
        line("Pixel shape", "square", _shape(video), cause="Players show it in another shape or turned."),
        line("Codec, profile", _named(asked.codec, asked.profile), _named(video.codec, video.profile)),
        _level(asked, video),
        line("Pixel format", _pixels(asked.pixels), _pixels(video.pixels)),
        line("Matrix, range", f"{asked.matrix.value} {asked.range.value}", _colour(video)),
    ]
    if asked.has_transfer:
        curves = f"{_curve(video.transfer)}, {_curve(video.primaries)}"
        lines.append(line("Transfer, primaries", "709, 709", curves))
    return [one for one in (*lines, _keyframes(plan, asked, video), _bitrate(asked, video)) if one is not None]


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
    asked = "as it comes" if plan.as_it_comes else f"{_exact(plan.frame.rate)} fixed"
    if rate is not None and plan.as_it_comes:
        got = f"{rate_label(rate.rate)} {'fixed' if rate.fixed else 'on average'}"
        return ProofLine(label="Rate", asked=asked, got=got, verdict=Verdict.NOTED)
    if rate is None:
        cause = "One picture is too few to measure a rate."
        return ProofLine(label="Rate", asked=asked, got="not known", verdict=Verdict.NOTED, cause=cause)
    got = f"{_exact(rate.rate)} {'fixed' if rate.fixed else 'varying'}"
    return line("Rate", asked, got, cause="The time stamps in the file do not follow the rate that was asked.")


def _exact(rate: Fraction) -> str:
    """Give a rate exactly: `30`, `29.97 (30000/1001)`."""
    return str(rate) if rate.denominator == 1 else f"{rate_label(rate)} ({rate})"


def _named(codec: str, profile: str) -> str:
    return f"{codec} {profile}".strip()


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
    if video.keyframes == 1 and video.frames <= plan.keyframe_ticks:
        cause = "The take is shorter than that."
        return ProofLine(label="Keyframes", asked=asked, got="one only", verdict=Verdict.NOTED, cause=cause)
    cause = "The encoder set keyframes at other distances, or frames are missing between them."
    # behind the last one there may be fewer frames than asked, and not more
    steps = {*video.keyframe_ticks, *([video.last_stretch] if video.last_stretch > plan.keyframe_ticks else [])}
    low, high = min(steps, default=plan.keyframe_ticks), max(steps, default=plan.keyframe_ticks)
    got = label(low) if low == high else f"{label(low)[:-2]}–{label(high)}"
    return line("Keyframes", asked, got, cause=cause)


def _bitrate(asked: Expectations, video: VideoFacts) -> ProofLine:
    got = f"{video.bitrate_bps / 1e6:.1f} Mb/s"
    target_bps = asked.rate.target_bps
    if target_bps is None:
        words = asked.rate.label or f"as {asked.profile} has it"
        return ProofLine(label="Video bitrate", asked=words, got=got, verdict=Verdict.NOTED)
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
        todo="Ask for more bits, or let the quality be constant instead.",
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
        return "Take a lighter effort, a smaller frame or a lower rate in File and Frame."
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
    """Say which step lost how many frames, and where; what the file lacks beyond that went in writing it."""
    lost = dict.fromkeys(LossCause, 0)
    for stretch in counts.stretches:
        lost[stretch.cause] += stretch.ticks
    unplaced = counts.lost_before - lost[LossCause.NO_SIGNAL] - lost[LossCause.SKIPPED]
    at_encoder = min(missing, counts.lost_encoder)
    words = [
        (at_encoder, LossCause.ENCODER, "at the encoder, which fell behind: choose a lighter effort, size or rate"),
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
    """Give the timecodes at which frames were lost by a cause."""
    found = [stretch for stretch in counts.stretches if stretch.cause is cause]
    if not found:
        return ""
    codes = [timecode(stretch.first_tick / plan.tick_rate, plan.frame.rate) for stretch in found[:MOST_PLACES]]
    more = f" and {len(found) - MOST_PLACES} more places" if len(found) > MOST_PLACES else ""
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


def _sound(plan: FilePlan, wanted: Expectations, facts: MediaFacts, counts: Counts) -> list[ProofLine]:
    asked = len(plan.tracks)
    lines = [line("Sound tracks", str(asked), str(len(facts.sound)), cause="A track is missing or empty.")]
    for number, (name, track) in enumerate(zip(plan.tracks, facts.sound, strict=False), start=1):
        label = f"Track {number}" if asked > 1 else "Sound"
        if name and wanted.names_tracks:  # takes of before had tracks without one
            lines.append(
                line(
                    f"{label} name",
                    name,
                    track.title or "none",
                    cause="It is not in the file any more, or the container does not keep it.",
                )
            )
        lines += _track(label, wanted, track)
        counted = counts.tracks[number - 1] if number <= len(counts.tracks) else None
        lines.append(clipping(plan, label, track, counted))
        if facts.video is not None:
            lines += _sync(label, wanted, facts.video, track)
    return lines


def _sound_file(
    plan: FilePlan, wanted: Expectations, name: str, facts: MediaFacts | None, length_s: Fraction
) -> ProofLine:
    """Say what a file of sound holds: it begins with the take, so that it is as long."""
    track = facts.sound[0] if facts is not None and facts.sound else None
    kind = plan.recipe.sound_files.value.upper()
    asked = _sound_form(kind, plan.recipe.sound_rate_hz, plan.recipe.sound_channels, length_s)
    if facts is None or track is None:
        return line(name, asked, "can't be read", cause="It is missing or empty.")
    is_kind = facts.container == plan.recipe.sound_files.value
    got = _sound_form(kind if is_kind else facts.container, track.rate_hz, track.channels, track.length_s)
    near = abs(track.length_s - length_s) <= wanted.sound_block_s + PICTURE_S
    cause = "It ends before the take or after it." if not near else "It is of another kind."
    alike = is_kind and (track.rate_hz, track.channels) == (plan.recipe.sound_rate_hz, plan.recipe.sound_channels)
    return line(name, asked, got, same=near and alike, cause=cause)


def _sound_form(kind: str, rate_hz: int, channels: int, length_s: Fraction) -> str:
    return f"{kind} {rate_hz / 1000:g} kHz {_channels(channels)}, {float(length_s):.2f} s"


def _inputs(plan: FilePlan, counts: Counts) -> list[ProofLine]:
    """Say what each input lost beside the frames, and by how much its sound was stretched to stay in step."""
    return [said for one in counts.inputs for said in _input(plan, one)]


def _input(plan: FilePlan, one: InputCounts) -> Iterator[ProofLine]:
    for thing, stretches, unit in (("picture", one.pictures, "pictures"), ("sound", one.sound, "ms")):
        lost = sum(stretch.lost for stretch in stretches)
        if lost:
            where = [timecode(stretch.first_tick / plan.tick_rate, plan.frame.rate) for stretch in stretches]
            more = f" and {len(where) - MOST_PLACES} more places" if len(where) > MOST_PLACES else ""
            cause = f"Nothing came of it at {', '.join(where[:MOST_PLACES])}{more}; the rest of the take went on."
            yield line(f"{one.name}, lost {thing}", "0", f"{count(lost)} {unit}", cause=cause)
    if one.broken:
        at = timecode(one.broken[0].first_tick / plan.tick_rate, plan.frame.rate)
        cause = f"They are no numbers, or far beyond full scale, first at {at}: silence stands in their place."
        got = f"{count(sum(found.number for found in one.broken))} samples"
        yield line(f"{one.name}, broken sound", "none", got, cause=cause, todo="Look at whoever sends it.")
    if one.stretched_ppm is not None and abs(one.stretched_ppm) >= LEAST_PPM:
        cause = "Its clock and the computer's differ; its sound was stretched so that it stays in step."
        got = f"{one.stretched_ppm:+.0f} ppm"
        yield ProofLine(label=f"{one.name}, clock", asked="–", got=got, verdict=Verdict.NOTED, cause=cause)


def _track(name: str, asked: Expectations, track: SoundFacts) -> list[ProofLine]:
    cause = "Its time leaves something out or goes back: a player falls silent or out of step there."
    return [
        line(f"{name} codec", asked.sound, _named(track.codec, track.profile)),
        line(f"{name} rate", f"{asked.sound_rate_hz / 1000:g} kHz", f"{track.rate_hz / 1000:g} kHz"),
        line(f"{name} channels", _channels(asked.sound_channels), _channels(track.channels)),
        _sound_bitrate(name, asked.sound_bitrate_bps, track),
        line(f"{name} holes", "none", _holes(track), cause=cause),
        *silence(name, track),
    ]


def _channels(channels: int) -> str:
    return {1: "mono", 2: "stereo"}.get(channels, f"{channels} channels")


def _holes(track: SoundFacts) -> str:
    if not track.holes:
        return "none"
    at_s, by_s = max(track.holes, key=lambda hole: abs(hole[1]))
    more = f", and {len(track.holes) - 1} more" if len(track.holes) > 1 else ""
    return f"{float(by_s * 1000):+.0f} ms at {float(at_s):.1f} s{more}"


def _sound_bitrate(name: str, asked_bps: int | None, track: SoundFacts) -> ProofLine:
    label, got = f"{name} bitrate", f"{track.bitrate_bps / 1000:.0f} kb/s"
    if asked_bps is None:
        return ProofLine(label=label, asked="without loss", got=got, verdict=Verdict.NOTED)
    asked = f"{asked_bps / 1000:.0f} kb/s"
    if track.bitrate_bps < asked_bps * (1 - SOUND_BITRATE_SLACK):
        cause = "Its codec spends less where less is heard: on pauses, tones, one side."
        return ProofLine(label=label, asked=asked, got=got, verdict=Verdict.NOTED, cause=cause)
    if track.length_s < SOUND_SETTLED_S:
        cause = "A take this short is too short to judge a bitrate."
        return ProofLine(label=label, asked=asked, got=got, verdict=Verdict.NOTED, cause=cause)
    same = track.bitrate_bps <= asked_bps * (1 + BITRATE_TOLERANCE)
    return line(label, asked, got, same=same, cause="The encoder spent more than it was asked to.")


def _sync(name: str, asked: Expectations, video: VideoFacts, track: SoundFacts) -> list[ProofLine]:
    starts = track.start_s - video.start_s
    ends = starts + track.length_s - video.length_s
    most = asked.sound_block_s + PICTURE_S
    cause = "The sound ends before the picture." if ends < 0 else "The picture ends before the sound."
    return [
        line(
            f"{name} starts at",
            "0 ms",
            _offset(starts),
            same=abs(starts) <= SYNC_TOLERANCE_S,
            tolerance=f"±{float(SYNC_TOLERANCE_S * 1000):.0f} ms",
            cause="The sound starts at another instant than the picture.",
            todo="Test the sync on Sound, and set the input's delay.",
        ),
        line(
            f"{name} ends at",
            "0 ms",
            _offset(ends),
            same=abs(ends) <= most,
            tolerance=f"±{float(most * 1000):.0f} ms",
            cause=cause,
            todo="Look whether its input was lost before the end; the rest of the take is in step.",
        ),
    ]


def _offset(seconds: Fraction) -> str:
    return f"{float(seconds * 1000):+.0f} ms" if seconds else "0 ms"
