"""Proving a take: read its file, hold it against what was asked, make the poster and what a browser can play."""

from collections.abc import Callable
from pathlib import Path

from django.conf import settings

from reel.core.file import Plays
from reel.core.measure import examine
from reel.core.measure import prove as held_against
from reel.core.media import (
    MediaError,
    MediaFacts,
    Shelf,
    beside,
    encode_for_browser,
    poster,
    probe,
    rewrap_to_mp4,
)
from reel.core.wire import to_plain
from reel.web.takes.models import ProofState, Take


def shelf() -> Shelf:
    """Give the shelf that takes are written to."""
    return Shelf(settings.HOME.shelf)


def shelf_of(take: Take) -> Shelf:
    """Give the folder where a take's file lies: the shelf, or the storage of the device that made it."""
    return Shelf(settings.HOME.devices / take.on_device) if take.on_device else shelf()


def poster_path(take: Take) -> Path:
    """Give where a take's poster lies."""
    return Path(settings.HOME.cache / f"{take.pk}.jpg")


def copy_path(take: Take) -> Path:
    """Give where a take's browser copy lies; a file that plays itself has none."""
    return Path(settings.HOME.cache / f"{take.pk}.mp4")


def playable_path(take: Take) -> Path:
    """Give the file that a browser plays."""
    return shelf_of(take).path(take.file_name) if take.plays is Plays.ITSELF else copy_path(take)


def prove(take_id: int, progress: Callable[[float], None]) -> None:
    """Do a job of the kind PROVE; a take that was deleted meanwhile needs no proof."""
    take = Take.objects.filter(pk=take_id).first()
    if take is not None:
        prove_take(take, progress)


def prove_take(take: Take, progress: Callable[[float], None]) -> None:
    """Prove a closed take and store the proof, then make its poster and what a browser plays.

    Raises what reading the file raises, which is stored too. A take that is renamed meanwhile goes on under its new
    name.
    """
    while (found := Take.objects.filter(pk=take.pk).first()) is not None:
        try:
            facts = _prove(found, progress)
            if facts.video is not None and facts.video.decoded:  # else there is nothing to show
                _make_playable(found, progress)
        except MediaError:
            if Take.objects.filter(pk=take.pk, file_name=found.file_name).exists():
                raise
        else:
            return


def _prove(take: Take, progress: Callable[[float], None]) -> MediaFacts:
    stored = Take.objects.filter(pk=take.pk, file_name=take.file_name)
    try:
        facts, seen = examine(shelf_of(take).path(take.file_name), lambda part: progress(part * 0.8))
    except MediaError as error:
        stored.update(proof_state=ProofState.FAILED, problem=take.problem or str(error))
        raise
    files = [_probed(path) for path in sound_files_of(take)]
    proof = held_against(take.plan, facts=facts, seen=seen, counts=take.counted, beside=files)
    Take.objects.filter(pk=take.pk).update(
        proof=to_plain(proof),
        proof_state=ProofState.DIFFERS if proof.differing else ProofState.AS_ASKED,
        size_bytes=facts.size_bytes,
        length_ms=round(facts.length_s * 1000),
        bitrate_bps=round(facts.size_bytes * 8 / facts.length_s) if facts.length_s else None,
    )
    return facts


def sound_files_of(take: Take) -> list[Path]:
    """Give where the files of sound beside a take are to lie."""
    folder = beside(shelf_of(take).path(take.file_name))
    return [folder / name for name in take.plan.sound_files]


def _probed(path: Path) -> MediaFacts | None:
    try:
        return probe(path)
    except MediaError:
        return None


def _make_playable(take: Take, progress: Callable[[float], None]) -> None:
    path = shelf_of(take).path(take.file_name)
    _put(poster_path(take), lambda target: target.write_bytes(poster(path)))
    progress(0.85)
    if take.plays is not Plays.ITSELF:
        copy = rewrap_to_mp4 if take.plays is Plays.REWRAPPED else encode_for_browser
        _put(copy_path(take), lambda target: copy(path, target, lambda part: progress(0.85 + part * 0.15)))
    Take.objects.filter(pk=take.pk).update(playable=True)


def _put(target: Path, make: Callable[[Path], object]) -> None:
    """Make a file beside its place and move it there when it is complete."""
    making = target.with_name(f"{target.stem}.making{target.suffix}")
    try:
        make(making)
        making.replace(target)
    finally:
        making.unlink(missing_ok=True)
