"""Lines of a proof that nobody asks for, and that must not be missing: what was not really recorded."""

from fractions import Fraction

from reel.core.file import FilePlan
from reel.core.measure.counts import Counts, LossCause, TrackCounts
from reel.core.measure.examine import Appearance
from reel.core.measure.proofline import ProofLine, Verdict, count, line
from reel.core.media.facts import SoundFacts, VideoFacts
from reel.core.signal import Transfer, length_label, rate_label, timecode

# A file whose pictures change less often than this part of its rate holds another rate than it says.
DISTINCT_PART = Fraction(6, 10)
# In so many seconds must much of the picture move before that can be told.
MOVING_S = 2
# A track under this level, in dBFS, holds no sound.
SILENT_DB = -70.0
# Music that is mixed loud touches full scale here and there; more than this part of all samples is heard.
CLIPPED_PART = Fraction(1, 2000)


def gone(plan: FilePlan, counts: Counts) -> list[ProofLine]:
    """Say for how long the signal was gone while the last picture stood; nothing where it never was."""
    spans = [stretch for stretch in counts.stretches if stretch.cause is LossCause.NO_SIGNAL]
    if not spans:
        return []
    total = sum(stretch.ticks for stretch in spans) / plan.frame.rate
    at = timecode(spans[0].first_tick / plan.tick_rate, plan.frame.rate)
    got = f"{length_label(total)} {'from' if len(spans) == 1 else f'in {len(spans)} stretches, the first at'} {at}"
    return [
        line(
            "Signal gone",
            "never",
            got,
            cause="The picture before stands in its place: it is a repeat, and not what was shown.",
            todo="Look at the device, its cable and its power.",
        )
    ]


def light(counts: Counts) -> list[ProofLine]:
    """Say that what arrived has a high dynamic range; nothing where it has not."""
    if counts.transfer is Transfer.BT709:
        return []
    return [
        line(
            "Arriving transfer",
            Transfer.BT709.value,
            counts.transfer.value,
            cause="What came with a high dynamic range was recorded as BT.709 without being converted: "
            "it looks grey and flat.",
            todo="Set the source to send SDR.",
        )
    ]


def distinct(plan: FilePlan, video: VideoFacts, seen: Appearance) -> ProofLine | None:
    """Return how many pictures a second are new where much of them moves; None where too little does to tell."""
    if video.rate is None or seen.busy_s < MOVING_S:
        return None
    rate = seen.busy_new / seen.busy_s
    asked, got = f"{rate_label(plan.frame.rate)} a second", f"{float(rate):.1f} a second"
    if rate >= DISTINCT_PART * plan.frame.rate or plan.as_it_comes:
        return ProofLine(label="New pictures", asked=asked, got=got, verdict=Verdict.NOTED)
    return line(
        "New pictures",
        asked,
        got,
        tolerance=f"at least {float(DISTINCT_PART):.0%}",
        cause="The source changes its picture less often than the file's rate says: many are repeats.",
        todo="Record at the source's own rate: the file is smaller, and holds the same.",
    )


def clipping(plan: FilePlan, track: SoundFacts, counted: TrackCounts | None) -> ProofLine:
    """How many samples of a track are cut off at full scale; `counted` is what Reel bounded there, None unknown.

    Lossy codecs round the tops of what was bounded: the larger of both figures counts.
    """
    label, todo = "clipping", ""
    bounded = counted.clipped if counted is not None else ()
    number = max(track.clipped, sum(one.number for one in bounded))
    if not number:
        return line(label, "none", "none")
    cause = "It came that loud, or was changed afterwards: Reel bounded nothing."
    if bounded:
        at = timecode(bounded[0].first_tick / plan.tick_rate, plan.frame.rate)
        cause = f"Its inputs were louder than full scale together, first at {at}."
        todo = "Turn them down on Sound, or set a limiter."
    elif counted is None:
        cause = ""
    got = f"{count(number)} samples at full scale"
    allowed = CLIPPED_PART * track.rate_hz * track.channels * track.length_s
    tolerance = f"up to {count(int(allowed))}"
    return line(label, "none", got, same=number <= allowed, tolerance=tolerance, cause=cause, todo=todo)


def silence(track: SoundFacts) -> list[ProofLine]:
    """Say that a track, or one side of it, holds nothing to be heard; nothing where both do."""
    if track.rms_db is None:
        return []
    if track.rms_db > SILENT_DB:
        quiet = [side for side, db in zip(("left", "right"), track.sides_db, strict=False) if db <= SILENT_DB]
        cause = "It may have come on one side only."
        todo = "Where both should be heard, look at its input's sides and its plug on Sound."
        return [
            ProofLine(
                label="sides",
                asked="–",
                got=f"{side} silent throughout",
                verdict=Verdict.NOTED,
                cause=cause,
                todo=todo,
            )
            for side in quiet
        ]
    return [
        line(
            "silence",
            "none",
            "silent throughout",
            cause="Nothing can be heard on it: its input is muted, turned down or not connected.",
            todo="Look at its meter on Sound before the next take.",
        )
    ]
