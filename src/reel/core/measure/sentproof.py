"""The proof of what was recorded as it was sent: the sender's packets, and what the network lost of them."""

from collections.abc import Iterator
from dataclasses import replace

from reel.core.file import FilePlan, expectations
from reel.core.measure.counts import Counts
from reel.core.measure.examine import Appearance
from reel.core.measure.proof import looks, whole
from reel.core.measure.proofline import Proof, ProofGroup, ProofLine, Verdict, count, grouped, line, named
from reel.core.measure.soundproof import PICTURE_S
from reel.core.media.digest import SentFacts
from reel.core.media.facts import MediaFacts, SoundFacts, VideoFacts
from reel.core.signal import rate_label
from reel.core.signal.mode import MAX_RATE

_NETWORK = "The sender's stamps leave them out: they were lost on the network, or never sent."


def prove_sent(
    plan: FilePlan, *, facts: MediaFacts, counts: Counts, found: SentFacts, seen: Appearance | None = None
) -> Proof:
    """Hold a file against what was sent: `counts` say what was written of it, `found` what the file's packets carry."""
    container = [line("Container", expectations(plan).container, facts.container, tells=True), *whole(facts)]
    video = facts.video
    if video is None or not video.frames:
        container.append(line("Picture", "1 track", "none", cause="The file holds no picture that can be decoded."))
        return Proof(lines=tuple(grouped(ProofGroup.CONTAINER, container)))
    container += [*_packets(counts, found), *_beginning(counts, found)]
    rate = f"{rate_label(video.rate.rate)} {'fixed' if video.rate.fixed else 'varying'}" if video.rate else "–"
    picture = [
        _noted("Size", f"{video.width_px}×{video.height_px}", tells=True),
        _noted("Codec, profile", named(video.codec, video.profile), tells=True),
        _noted("Video bitrate", f"{video.bitrate_bps / 1e6:.1f} Mb/s"),
    ]
    if video.sizes > 1:
        cause = "The sender changed it on the way: most players and editors do not follow."
        picture.append(line("One size throughout", "yes", f"{video.sizes} sizes", cause=cause))
    if seen is not None:
        # its pictures are held against what the sender says of them, not against the rig's frame
        sent_rate = video.rate.rate if video.rate else plan.frame.rate
        sender = replace(plan, frame=replace(plan.frame, rate=sent_rate)) if 1 <= sent_rate <= MAX_RATE else plan
        picture += looks(sender, video, seen)
    lost = line("Lost on the network", "0", count(video.rate.missing if video.rate else 0), cause=_NETWORK)
    return Proof(
        lines=(
            *grouped(ProofGroup.CONTAINER, container),
            *grouped(ProofGroup.PICTURE, picture),
            *grouped(ProofGroup.TIME, (_noted("Rate", rate, tells=True), lost)),
            *grouped(ProofGroup.SOUND, (one for track in facts.sound for one in _track(video, track))),
        )
    )


def _noted(label: str, got: str, cause: str = "", *, asked: str = "as sent", tells: bool = False) -> ProofLine:
    return ProofLine(label=label, asked=asked, got=got, verdict=Verdict.NOTED, cause=cause, tells=tells)


def _beginning(counts: Counts, found: SentFacts) -> Iterator[ProofLine]:
    """Say how the file begins, and what of the stream is not in it."""
    if counts.sent is not None and counts.sent.begins_anew:
        cause = "The sender's time stamps jumped here: what came before lies in the part before."
        yield _noted("Time stamps", "begin anew", cause, asked="–")
    if counts.sent is not None and counts.sent.left_out:
        got = f"{count(counts.sent.left_out)} pictures left out"
        yield _noted("Before its first keyframe", got, "They can't be decoded without one.", asked="–")
    begins = "a keyframe" if found.begins_with_key else "another picture"
    yield line("Begins with", "a keyframe", begins, cause="What comes before a keyframe can't be decoded.")


def _track(video: VideoFacts, track: SoundFacts) -> Iterator[ProofLine]:
    yield _noted("Sound", f"{track.codec} {track.rate_hz / 1000:g} kHz", tells=True)
    apart = track.start_s + track.length_s - video.start_s - video.length_s
    near, got = abs(apart) <= PICTURE_S * 4, f"{float(apart * 1000):+.0f} ms"
    yield line("Sound ends at", "0 ms", got, same=near, cause="The sender sent them apart.")


def _packets(counts: Counts, found: SentFacts) -> list[ProofLine]:
    """Hold each stream's packets against those that were written, number by number and byte by byte."""
    sent = counts.sent
    if sent is None or not sent.packets:
        cause = "The recorder was stopped and left no sum of what was sent."
        return [ProofLine(label="Packets", asked="as sent", got="–", verdict=Verdict.NOTED, cause=cause)]
    lines = []
    names = ("Picture", *(f"Sound {number}" if number > 1 else "Sound" for number in range(1, len(sent.packets))))
    for place, name in enumerate(names):
        has = place < len(found.packets)
        got = found.packets[place] if has else 0
        lines.append(
            line(f"{name}, packets", count(sent.packets[place]), count(got), cause="Some are missing in the file.")
        )
        same = has and found.digests[place] == sent.digests[place]
        lines.append(
            line(f"{name}, bytes", "the sender's", "the sender's" if same else "others", cause="The file was changed.")
        )
    return lines
