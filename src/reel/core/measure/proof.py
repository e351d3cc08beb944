"""The proof: what was asked against what the file holds, line by line, with the cause of each difference."""

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

from reel.core.file import RateControl, Recipe
from reel.core.media.probe import MediaFacts, SoundFacts, VideoFacts
from reel.core.media.rate import RateFacts
from reel.core.signal import Matrix, Range, pixel_format, rate_label

# A constant bitrate may differ by this part, in takes long enough for the rate control to settle.
BITRATE_TOLERANCE = Fraction(1, 10)
SETTLED_S = 5
# ITU-R BT.1359: sound this far from the picture is not noticed.
SYNC_TOLERANCE_S = Fraction(40, 1000)
# AAC-LC holds its bitrate on average only; silence needs less.
SOUND_BITRATE_SLACK = Fraction(3, 10)


class Verdict(StrEnum):
    """How a line came out. NOTED is a fact that nothing was asked of."""

    AS_ASKED = "as asked"
    DIFFERS = "differs"
    NOTED = "noted"


@dataclass(frozen=True, slots=True, kw_only=True)
class Counts:
    """What the recorder counted in a take, in pictures.

    `ticks` are the frames that the take should have; `lost_before` never reached Reel or were read too late,
    `lost_encoder` found the encoder's queue full; `dropped` came when their tick had one; `repeated` ticks had none.
    """

    ticks: int = 0
    lost_before: int = 0
    lost_encoder: int = 0
    dropped: int = 0
    repeated: int = 0

    @property
    def lost(self) -> int:
        """Pictures that should have been recorded and were not."""
        return self.lost_before + self.lost_encoder


@dataclass(frozen=True, slots=True, kw_only=True)
class ProofLine:
    """One line: what was asked, what was got, in words with units; `cause` explains a difference."""

    label: str
    asked: str
    got: str
    verdict: Verdict
    cause: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Proof:
    """All lines of a take's proof."""

    lines: tuple[ProofLine, ...]

    @property
    def differing(self) -> tuple[ProofLine, ...]:
        """The lines that are not as asked."""
        return tuple(line for line in self.lines if line.verdict is Verdict.DIFFERS)

    @property
    def asked_count(self) -> int:
        """How many lines something was asked of."""
        return sum(line.verdict is not Verdict.NOTED for line in self.lines)

    @property
    def summary(self) -> str:
        """The proof in a sentence: `12 of 14 as asked, 2 differ.`"""
        differing, asked = len(self.differing), self.asked_count
        if not differing:
            return f"All {asked} as asked."
        return f"{asked - differing} of {asked} as asked, {differing} differ{'s' if differing == 1 else ''}."


def prove(recipe: Recipe, *, sound_tracks: int, facts: MediaFacts, counts: Counts) -> Proof:
    """Hold a file's facts against what was asked. Only the causes of losses come from the recorder's `counts`."""
    lines = [_container(recipe, facts)]
    if facts.video is None:
        lines.append(_line("Picture", "1 track", "none", cause="The file holds no picture that can be decoded."))
    else:
        lines += _picture(recipe, facts.video)
        lines += _frames(recipe, facts.video, counts)
    lines += _sound(recipe, sound_tracks, facts)
    return Proof(lines=tuple(lines))


def _line(label: str, asked: str, got: str, *, same: bool | None = None, cause: str = "") -> ProofLine:
    matches = asked == got if same is None else same
    return ProofLine(
        label=label,
        asked=asked,
        got=got,
        verdict=Verdict.AS_ASKED if matches else Verdict.DIFFERS,
        cause="" if matches else cause,
    )


def _container(recipe: Recipe, facts: MediaFacts) -> ProofLine:
    got = next((kind for kind in ("matroska", "mp4") if kind in facts.container), facts.container)
    return _line("Container", recipe.container.value.upper(), {"matroska": "MKV", "mp4": "MP4"}.get(got, got))


def _picture(recipe: Recipe, video: VideoFacts) -> list[ProofLine]:
    asked_pixels = pixel_format("yuv420p").label
    return [
        _line("Size", recipe.frame.size_label, f"{video.width_px}×{video.height_px}"),
        _rate(recipe, video.rate),
        _line("Codec, profile", "H.264 High", _codec(video.codec, video.profile)),
        _line("Pixel format", asked_pixels, _pixels(video.pixels)),
        _line("Matrix, range", f"{Matrix.BT709.value} {Range.LIMITED.value}", _colour(video)),
        _keyframes(recipe, video),
        _bitrate(recipe, video),
    ]


def _rate(recipe: Recipe, rate: RateFacts | None) -> ProofLine:
    asked = "as it comes" if recipe.as_it_comes else f"{_exact(recipe.frame.rate)} fixed"
    if rate is not None and recipe.as_it_comes:
        got = f"{rate_label(rate.rate)} {'fixed' if rate.fixed else 'on average'}"
        return ProofLine(label="Rate", asked=asked, got=got, verdict=Verdict.NOTED)
    if rate is None:
        return _line("Rate", asked, "unknown", cause="One picture is too few to measure a rate.")
    got = f"{_exact(rate.rate)} {'fixed' if rate.fixed else 'varying'}"
    return _line("Rate", asked, got, cause="The time stamps in the file do not follow the rate that was asked.")


def _exact(rate: Fraction) -> str:
    """Give a rate exactly: `30`, `29.97 (30000/1001)`."""
    return str(rate) if rate.denominator == 1 else f"{rate_label(rate)} ({rate})"


def _codec(codec: str, profile: str) -> str:
    names = {"h264": "H.264", "hevc": "HEVC", "aac": "AAC"}
    return f"{names.get(codec, codec)} {profile}".strip()


def _pixels(name: str) -> str:
    return pixel_format(name).label if name in ("yuv420p", "yuv422p", "yuv444p", "yuv420p10le") else name or "unknown"


def _colour(video: VideoFacts) -> str:
    matrix = video.matrix.value if video.matrix else "untagged"
    return f"{matrix} {video.range.value if video.range else 'untagged'}"


def _keyframes(recipe: Recipe, video: VideoFacts) -> ProofLine:
    asked = f"{float(recipe.keyframe_ticks / recipe.frame.rate):.2f} s"
    if not video.keyframe_ticks:
        return ProofLine(
            label="Keyframes",
            asked=asked,
            got="one only",
            verdict=Verdict.NOTED,
            cause="The take is shorter than that.",
        )
    low, high = (float(ticks / recipe.frame.rate) for ticks in (video.keyframe_ticks[0], video.keyframe_ticks[-1]))
    got = f"{low:.2f} s" if low == high else f"{low:.2f}–{high:.2f} s"
    cause = "The encoder set keyframes at other distances, or frames are missing between them."
    return _line("Keyframes", asked, got, cause=cause)


def _bitrate(recipe: Recipe, video: VideoFacts) -> ProofLine:
    got = f"{video.bitrate_bps / 1e6:.1f} Mb/s"
    if recipe.rate_control is RateControl.CRF:
        return ProofLine(label="Video bitrate", asked=f"CRF {recipe.quality_crf}", got=got, verdict=Verdict.NOTED)
    asked = f"{recipe.bitrate_bps / 1e6:.1f} Mb/s"
    if video.length_s < SETTLED_S:
        cause = f"A take under {SETTLED_S} s is too short to judge a bitrate."
        return ProofLine(label="Video bitrate", asked=asked, got=got, verdict=Verdict.NOTED, cause=cause)
    same = abs(video.bitrate_bps - recipe.bitrate_bps) <= BITRATE_TOLERANCE * recipe.bitrate_bps
    return _line("Video bitrate", asked, got, same=same, cause="The encoder could not hold the bitrate.")


def _frames(recipe: Recipe, video: VideoFacts, counts: Counts) -> list[ProofLine]:
    rate = None if recipe.as_it_comes else video.rate  # pictures that keep their times leave no tick empty
    expected = video.frames + (rate.missing if rate else 0)
    by_length = round(video.length_s * rate.rate) if rate and rate.fixed else expected
    asked = max(expected, by_length, counts.ticks)
    missing = asked - video.frames
    frames = _line(
        "Frames",
        f"{asked:,}".replace(",", " "),
        f"{video.frames:,}".replace(",", " "),
        cause=_missing(missing, counts),
    )
    lost = missing + counts.lost_before
    lines = [
        frames,
        _line("Lost frames", "0", str(lost), same=lost == 0, cause=_lost_before(counts, missing)),
    ]
    if counts.dropped or counts.repeated:
        got = f"{counts.repeated} repeated, {counts.dropped} dropped"
        cause = "The pictures that arrived were fitted to the file's rate."
        lines.append(ProofLine(label="Fitted", asked="–", got=got, verdict=Verdict.NOTED, cause=cause))
    return lines


def _missing(missing: int, counts: Counts) -> str:
    if counts.ticks == 0:
        return f"{missing} frames are missing; the recorder left no count of them."
    if missing == counts.lost_encoder:
        return f"The encoder fell behind: {missing} frames found its queue full. Choose a lighter effort or rate."
    return f"{missing} are missing: the encoder's queue lost {counts.lost_encoder}, the rest went in writing the file."


def _lost_before(counts: Counts, missing: int) -> str:
    steps = []
    if missing:
        steps.append(f"{missing} at the encoder")
    if counts.lost_before:
        steps.append(f"{counts.lost_before} on the way in: the source skipped them or Reel read them too late")
    return f"{'; '.join(steps)}." if steps else ""


def _sound(recipe: Recipe, sound_tracks: int, facts: MediaFacts) -> list[ProofLine]:
    lines = [_line("Sound tracks", str(sound_tracks), str(len(facts.sound)), cause="A track is missing or empty.")]
    for number, track in enumerate(facts.sound[:sound_tracks], start=1):
        name = f"Track {number}" if sound_tracks > 1 else "Sound"
        lines += _track(name, recipe, track)
        if facts.video is not None:
            lines.append(_sync(name, facts.video, track))
    return lines


def _track(name: str, recipe: Recipe, track: SoundFacts) -> list[ProofLine]:
    kbps = recipe.sound_bitrate_bps / 1000
    low = recipe.sound_bitrate_bps * (1 - SOUND_BITRATE_SLACK)
    same = low <= track.bitrate_bps <= recipe.sound_bitrate_bps * (1 + BITRATE_TOLERANCE)
    cause = "AAC spends less on quiet or simple sound than it was allowed."
    return [
        _line(f"{name} codec", "AAC LC", _codec(track.codec, track.profile)),
        _line(f"{name} rate", "48 kHz", f"{track.rate_hz / 1000:g} kHz"),
        _line(
            f"{name} bitrate",
            f"{kbps:.0f} kb/s",
            f"{track.bitrate_bps / 1000:.0f} kb/s",
            same=same,
            cause=cause,
        ),
    ]


def _sync(name: str, video: VideoFacts, track: SoundFacts) -> ProofLine:
    offset = track.start_s - video.start_s
    got = f"{float(offset * 1000):+.0f} ms" if offset else "0 ms"
    cause = "The sound starts at another instant than the picture."
    return _line(f"{name} starts at", "0 ms", got, same=abs(offset) <= SYNC_TOLERANCE_S, cause=cause)
