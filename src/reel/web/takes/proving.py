"""Proving a part: read its file, hold it against what was asked, make the poster and what a browser can play."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

from django.conf import settings
from django.db import transaction

from reel.core.file import Plays, plays_as_found
from reel.core.frame import turned
from reel.core.measure import Examined, examine, prove_sent
from reel.core.measure import prove as held_against
from reel.core.media import (
    MediaError,
    MediaFacts,
    Shelf,
    encode_for_browser,
    hardest_second,
    poster,
    probe,
    read_sent,
    reorders,
    rescue,
    rescued_path,
    rewrap_to_mp4,
    sidecar_folder,
    still,
)
from reel.core.offload import Folder, fingerprint
from reel.core.wire import to_plain
from reel.web.jobs.actions import ask_for
from reel.web.jobs.kinds import Lane, Progress, Subject, job_kind
from reel.web.takes.models import PROVE, RESCUE, STILLS, Form, InTime, Part, ProofState, Take, TrackLevels, Tried
from reel.web.takes.strands import row_strand
from reel.web.takes.summing import sum_up

# A proof that decodes no more than so many frames takes seconds.
QUICK_FRAMES = 3600


def shelf() -> Shelf:
    """Return the shelf that takes are written to."""
    return Shelf(settings.HOME.shelf)


def shelf_of(take: Take) -> Shelf:
    """Return the folder where a take's files lie: a shelf or its bin, or the storage of the device that made it."""
    found = kept_on(take)
    return found.bin_of(take.pk) if take.binned_at else found


def kept_on(take: Take) -> Shelf:
    """Return the shelf, or the storage, on which a take is kept, whether or not it is in the bin there."""
    if take.on_device:
        return Shelf(settings.HOME.devices / take.on_device)
    return Shelf(Path(take.folder) if take.folder else settings.HOME.shelf, take.shelf_key)


def path_of(part: Part) -> Path:
    """Return where a part's file lies."""
    return shelf_of(part.take).path(part.file_name)


def poster_path(part: Part) -> Path:
    """Return where a part's poster lies."""
    return Path(settings.HOME.cache / f"{part.pk}.jpg")


def copy_path(part: Part) -> Path:
    """Return where a part's browser copy lies; a file that plays itself has none."""
    return Path(settings.HOME.cache / f"{part.pk}.mp4")


def track_path(part: Part, track: int) -> Path:
    """Return where a sound track of a part, from 0, lies to be listened to."""
    return Path(settings.HOME.cache / f"{part.pk}-track{track}.flac")


def still_path(part: Part, name: str) -> Path:
    """Return where one of STILLS of a trial lies."""
    return Path(settings.HOME.cache / f"{part.pk}-{name}.jpg")


def cached_paths(part: Part) -> list[Path]:
    """Return all that is kept of a part beside its files, whether or not it is there."""
    return [
        poster_path(part),
        copy_path(part),
        *(still_path(part, name) for name in STILLS),
        *(track_path(part, track) for track in range(len(part.take.tracks))),
    ]


def playable_path(part: Part) -> Path:
    """Return the file that a browser plays: the part's own, too, where there is no copy, as there was none once."""
    copy = copy_path(part)
    return copy if part.plays is not Plays.ITSELF and copy.exists() else path_of(part)


def ask_for_proof(part: Part) -> None:
    """Ask for a part's proof; that of a trial or of a short take does not wait behind those of long ones."""
    is_quick = part.take.is_trial or 0 < part.counted.ticks <= QUICK_FRAMES
    ask_for(PROVE, Subject(subject=part.pk), lane=Lane.QUICK if is_quick else Lane.LONG)


def ask_for_repair(part: Part) -> None:
    """Ask for a part to be repaired and proved."""
    ask_for(RESCUE, Subject(subject=part.pk))


@job_kind(PROVE, label="Proving", lane=Lane.LONG)
def prove(asked: Subject, progress: Progress) -> None:
    """Prove a part; one that was deleted meanwhile needs no proof."""
    part = Part.objects.filter(pk=asked.subject).first()
    if part is not None:
        prove_part(part, progress)


def prove_part(part: Part, progress: Callable[[float], None]) -> None:
    """Prove a closed part and store the proof, then make its poster and what a browser plays.

    Raises what reading the file raises, which is stored too. A take that is renamed meanwhile goes on under its new
    name.
    """
    while (found := Part.objects.select_related("take").filter(pk=part.pk).first()) is not None:
        try:
            facts = _prove(found, progress)
            if facts.video is not None and facts.video.decoded:  # else there is nothing to show
                _make_playable(found, progress)
        except MediaError:
            if Part.objects.filter(pk=part.pk, file_name=found.file_name).exists():
                raise
        else:
            return


@job_kind(RESCUE, label="Repairing", lane=Lane.LONG, priority=1)
def rescue_part(asked: Subject, progress: Progress) -> None:
    """Repair a part whose recorder was killed, beside what was left, and have it proved.

    Where it can't be repaired it stays as it is, which is said, and is proved so.
    """
    part = Part.objects.select_related("take").filter(pk=asked.subject).first()
    if part is None:
        return
    source = path_of(part)
    target = rescued_path(source)
    problem = ""
    try:
        if not part.original_name:
            put(target, lambda making: rescue(source, making, progress, titles=part.take.tracks))
    except MediaError as error:
        problem = f"It could not be repaired. {error}"
    with transaction.atomic():
        stored = Part.objects.filter(pk=part.pk, file_name=part.file_name)
        if problem or part.original_name:
            stored.update(problem=problem)
        elif not stored.update(file_name=target.name, original_name=source.name):
            target.unlink(missing_ok=True)  # it was renamed or deleted meanwhile: what was left is as it was
        ask_for_proof(part)
        sum_up(part.take_id)


def _prove(part: Part, progress: Callable[[float], None]) -> MediaFacts:
    stored = Part.objects.filter(pk=part.pk, file_name=part.file_name)
    try:
        found = examine(path_of(part), lambda done: progress(done * 0.8))
        facts, seen = found.facts, found.seen
    except MediaError as error:
        stored.update(proof_state=ProofState.FAILED, problem=part.problem or str(error))
        sum_up(part.take_id)
        raise
    if part.take.asked is None:
        return _measure(part, found)
    files = [_probed(path) for path in sound_files_of(part)]
    if part.take.is_trial and facts.video is not None:
        part.found = to_plain(_tried(path_of(part), facts))
    if part.take.plan.recipe.as_sent:
        sent = read_sent(path_of(part))
        proof = prove_sent(part.take.plan, facts=facts, counts=part.counted, found=sent, seen=seen)
    else:
        carries = read_sent(path_of(part)) if part.counted.written is not None and not part.original_name else None
        proof = held_against(part.take.plan, facts=facts, seen=seen, counts=part.counted, sidecars=files, found=carries)
    state = ProofState.DIFFERS if proof.differing else ProofState.AS_ASKED
    _store(part, found, proof=to_plain(proof), found=part.found, proof_state=state)
    return facts


def _store(part: Part, examined: Examined, **more: object) -> None:
    """Store what examining a part gave; nothing for one that was deleted meanwhile."""
    facts, lies = examined.facts, path_of(part)
    if Part.objects.filter(pk=part.pk).update(
        strand=row_strand(examined.in_time, part.counted),
        fingerprint=fingerprint(Folder(lies.parent), lies.name),
        size_bytes=facts.size_bytes,
        length_ms=round(facts.length_s * 1000),
        bitrate_bps=round(facts.size_bytes * 8 / facts.length_s) if facts.length_s else None,
        **more,
    ):
        InTime.objects.update_or_create(part_id=part.pk, defaults={"packed": examined.in_time.packed()})
        sum_up(part.take_id)


def _measure(part: Part, examined: Examined) -> MediaFacts:
    """Store what a file is of which nothing was asked."""
    facts, video = examined.facts, examined.facts.video
    rate = video.rate.even if video and video.rate else Fraction(30)
    width_px = height_px = 0
    if video:
        width_px, height_px, _ = turned(video.width_px, video.height_px, video.pixel_aspect, video.turned_deg)
    form = Form(
        width_px=width_px,
        height_px=height_px,
        rate=rate,
        tick_rate=rate,
        container=facts.container,
        codec=video.codec if video else facts.sound[0].codec if facts.sound else "",
        is_variable=bool(video and video.rate and not video.rate.fixed),
    )
    titles = [one.title or f"Track {number}" for number, one in enumerate(facts.sound, start=1)]
    Take.objects.filter(pk=part.take_id, asked__isnull=True).update(measured=to_plain(form), tracks=titles)
    part.played = plays_as_found(
        facts.container,
        video.codec if video else "",
        video.pixels if video else "",
        [one.codec for one in facts.sound],
        varies=form.is_variable,
        reorders=form.is_variable and reorders(path_of(part)),
    ).value
    _store(part, examined, played=part.played, proof=None, proof_state=ProofState.NOT_ASKED)
    return facts


def _tried(path: Path, facts: MediaFacts) -> Tried:
    second, bits = hardest_second(path)
    tracks = tuple(TrackLevels(title=one.title, rms_db=one.rms_db, peak_db=one.peak_db) for one in facts.sound)
    return Tried(hardest_s=second, hardest_bps=bits, tracks=tracks)


def sound_files_of(part: Part) -> list[Path]:
    """Return where the files of sound beside a part are to lie: beside the original, where it was repaired."""
    if part.take.asked is None:
        return []
    folder = sidecar_folder(shelf_of(part.take).path(part.original_name or part.file_name))
    return [folder / name for name in part.take.plan.sound_files]


def _probed(path: Path) -> MediaFacts | None:
    try:
        return probe(path)
    except MediaError:
        return None


def _make_playable(part: Part, progress: Callable[[float], None]) -> None:
    path = path_of(part)
    for track in range(len(part.take.tracks)):
        track_path(part, track).unlink(missing_ok=True)  # it was read out of what the file was before
    put(poster_path(part), lambda target: target.write_bytes(poster(path)))
    if part.take.is_trial:
        _make_stills(part, path)
    progress(0.85)
    if part.plays is not Plays.ITSELF:
        copy = rewrap_to_mp4 if part.plays is Plays.REWRAPPED else encode_for_browser
        put(copy_path(part), lambda target: copy(path, target, lambda done: progress(0.85 + done * 0.15)))
    Part.objects.filter(pk=part.pk).update(playable=True)


def _make_stills(part: Part, path: Path) -> None:
    """Keep the first, the last and the hardest second's picture of a trial."""
    tried = part.tried
    places = {"first": Fraction(0), "hardest": Fraction(tried.hardest_s if tried else 0), "last": Fraction(10**6)}
    for name in STILLS:
        put(still_path(part, name), lambda target, name=name: target.write_bytes(still(path, places[name])))  # type: ignore[misc]  # bound at once


def put(target: Path, make: Callable[[Path], object]) -> None:
    """Make a file beside its place and move it there when it is complete."""
    making = target.with_name(f"{target.stem}.making{target.suffix}")
    try:
        make(making)
        making.replace(target)
    finally:
        making.unlink(missing_ok=True)
