"""The proof's lines of sound: its tracks, the files beside a take, and what was counted of each input."""

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction

from reel.core.file import Expectations, FilePlan
from reel.core.measure.counts import Counts, InputCounts
from reel.core.measure.faults import clipping, silence
from reel.core.measure.proofline import MAX_PLACES, ProofLine, Verdict, count, line, named
from reel.core.media.facts import MediaFacts, SoundFacts, VideoFacts
from reel.core.signal import timecode

# A bitrate is judged in takes this long, and may be exceeded by this part.
SETTLED_S, BITRATE_TOLERANCE = 2, Fraction(1, 10)
# ITU-R BT.1359: sound this far from the picture is not noticed.
SYNC_TOLERANCE_S = Fraction(40, 1000)
# Codecs of sound hold their bitrate on average only.
SOUND_BITRATE_SLACK = Fraction(3, 10)
# Picture and sound end together to within a block of the sound's codec and one picture at 24 a second.
PICTURE_S = Fraction(1, 24)
# A stretching of sound under this is not worth a line: it is what a few seconds can't tell from none.
MIN_PPM = 5


def sound(plan: FilePlan, wanted: Expectations, facts: MediaFacts, counts: Counts) -> list[ProofLine]:
    """Hold a file's tracks against what was asked of them."""
    asked = len(plan.tracks)
    lines = [line("Sound tracks", str(asked), str(len(facts.sound)), cause="A track is missing or empty.")]
    for number, (name, track) in enumerate(zip(plan.tracks, facts.sound, strict=False), start=1):
        found = _track(wanted, name, track)
        found.append(clipping(plan, track, counts.tracks[number - 1] if number <= len(counts.tracks) else None))
        if facts.video is not None:
            found += _sync(wanted, facts.video, track)
        title = f"Track {number}" if asked > 1 else "Sound"
        lines += [replace(one, label=f"{title} {one.label}", track=number, fact=one.label) for one in found]
    return lines


def sound_file(
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


def inputs(plan: FilePlan, counts: Counts) -> list[ProofLine]:
    """Say what each input lost beside the frames, and by how much its sound was stretched to stay in step."""
    return [said for one in counts.inputs for said in _input(plan, one)]


def _input(plan: FilePlan, one: InputCounts) -> Iterator[ProofLine]:
    for thing, stretches, unit in (("picture", one.pictures, "pictures"), ("sound", one.sound, "ms")):
        lost = sum(stretch.lost for stretch in stretches)
        if lost:
            where = [timecode(stretch.first_tick / plan.tick_rate, plan.frame.rate) for stretch in stretches]
            more = f" and {len(where) - MAX_PLACES} more places" if len(where) > MAX_PLACES else ""
            cause = f"Nothing came of it at {', '.join(where[:MAX_PLACES])}{more}; the rest of the take went on."
            yield line(f"{one.name}, lost {thing}", "0", f"{count(lost)} {unit}", cause=cause)
    if one.broken:
        at = timecode(one.broken[0].first_tick / plan.tick_rate, plan.frame.rate)
        cause = f"They are no numbers, or far beyond full scale, first at {at}: silence stands in their place."
        got = f"{count(sum(found.number for found in one.broken))} samples"
        yield line(f"{one.name}, broken sound", "none", got, cause=cause, todo="Look at whoever sends it.")
    if one.stretched_ppm is not None and abs(one.stretched_ppm) >= MIN_PPM:
        cause = "Its clock and the computer's differ; its sound was stretched so that it stays in step."
        got = f"{one.stretched_ppm:+.0f} ppm"
        yield ProofLine(label=f"{one.name}, clock", asked="–", got=got, verdict=Verdict.NOTED, cause=cause)


def _track(asked: Expectations, name: str, track: SoundFacts) -> list[ProofLine]:
    cause = "Its time leaves something out or goes back: a player falls silent or out of step there."
    lines = [
        line("codec", asked.sound, named(track.codec, track.profile), tells=True),
        line("rate", f"{asked.sound_rate_hz / 1000:g} kHz", f"{track.rate_hz / 1000:g} kHz", tells=True),
        line(
            "channels",
            _channels(asked.sound_channels),
            _channels(track.channels),
            cause="Its sides can't be told apart in it."
            if track.channels == 1
            else "It has sides that were not recorded.",
            tells=True,
        ),
        _sound_bitrate(asked.sound_bitrate_bps, track),
        line("holes", "none", _holes(track), cause=cause),
        *silence(track),
    ]
    if name and asked.names_tracks:  # takes of before had tracks without one
        gone = "It is not in the file any more, or the container does not keep it."
        lines.insert(0, line("name", name, track.title or "none", cause=gone))
    return lines


def _channels(channels: int) -> str:
    return {1: "mono", 2: "stereo"}.get(channels, f"{channels} channels")


def _holes(track: SoundFacts) -> str:
    if not track.holes:
        return "none"
    at_s, by_s = max(track.holes, key=lambda hole: abs(hole[1]))
    more = f", and {len(track.holes) - 1} more" if len(track.holes) > 1 else ""
    return f"{float(by_s * 1000):+.0f} ms at {float(at_s):.1f} s{more}"


def _sound_bitrate(asked_bps: int | None, track: SoundFacts) -> ProofLine:
    label, got = "bitrate", f"{track.bitrate_bps / 1000:.0f} kb/s"
    if asked_bps is None:
        return ProofLine(label=label, asked="without loss", got=got, verdict=Verdict.NOTED)
    asked = f"{asked_bps / 1000:.0f} kb/s"
    if track.bitrate_bps < asked_bps * (1 - SOUND_BITRATE_SLACK):
        cause = "Its codec spends less where less is heard: on pauses, tones, one side."
        return ProofLine(label=label, asked=asked, got=got, verdict=Verdict.NOTED, cause=cause)
    if track.length_s < SETTLED_S:
        cause = "A take this short is too short to judge a bitrate."
        return ProofLine(label=label, asked=asked, got=got, verdict=Verdict.NOTED, cause=cause)
    same = track.bitrate_bps <= asked_bps * (1 + BITRATE_TOLERANCE)
    return line(label, asked, got, same=same, cause="The encoder spent more than it was asked to.")


def _sync(asked: Expectations, video: VideoFacts, track: SoundFacts) -> list[ProofLine]:
    starts = track.start_s - video.start_s
    ends = starts + track.length_s - video.length_s
    most = asked.sound_block_s + PICTURE_S
    cause = "The sound ends before the picture." if ends < 0 else "The picture ends before the sound."
    return [
        line(
            "starts at",
            "0 ms",
            _offset(starts),
            same=abs(starts) <= SYNC_TOLERANCE_S,
            tolerance=f"±{float(SYNC_TOLERANCE_S * 1000):.0f} ms",
            cause="The sound starts at another instant than the picture.",
            todo="Test the sync on Sound, and set the input's delay.",
        ),
        line(
            "ends at",
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
