"""What a finish makes of a take becomes a take of its own, which is proved against what was asked of the first."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from django.db import transaction
from django.utils import timezone

from reel.core.errors import BadValueError
from reel.core.file import CONTAINERS, RateKind, Recipe, SoundFiles
from reel.core.finish import Finish, FinishPlan, StreamKind
from reel.core.frame import FrameSetup
from reel.core.line import Feed, InputSetup, MediaFile, RigSetup
from reel.core.measure import Counts
from reel.core.media import Reserved, Shelf
from reel.core.signal import Mode
from reel.core.wire import to_plain
from reel.web.setups import stored
from reel.web.takes.models import MAX_NAME, Mark, Part, ProofState, Take, TakeOrigin, TakeState
from reel.web.takes.proving import ask_for_proof
from reel.web.takes.summing import sum_up

# What is asked of what is made of a file that no rig recorded: its frame and recipe are those of the finish.
_FROM_A_FILE = RigSetup(
    inputs=(InputSetup(name="File", device=Feed(), origin=MediaFile(name="file", loop=False)),),
    frame=FrameSetup(mode=Mode.parse("1280x720p30")),
    recipe=Recipe(),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class MadeFile:
    """A file that is whole but for its name, the take's tick that it begins with, and its counts as they are stored.

    Beside one that `is_hashed` lie the hashes of its frames, against which it was held.
    """

    reserved: Reserved
    first_tick: int = 0
    counts: Any = None
    is_hashed: bool = False


def become_take(
    takes: Sequence[tuple[Take, int]], finish: Finish, made: FinishPlan, files: Sequence[MadeFile], shelf: Shelf
) -> Take:
    """Give the files their names and make them a take, or leave nothing of them.

    `takes` are those that it is made of, each with the tick of the whole that it begins with.
    """
    done: list[Path] = []
    try:
        done += [shelf.complete(one.reserved) for one in files]
        with transaction.atomic():
            found = _stored(takes, finish, made)
            for number, (file, path) in enumerate(zip(files, done, strict=True), start=1):
                facts = {"first_tick": file.first_tick, "counts": file.counts, "size_bytes": path.stat().st_size}
                if file.is_hashed:
                    facts |= {"is_hashed": True, "verified_at": timezone.now()}
                ask_for_proof(Part.objects.create(take=found, number=number, file_name=path.name, **facts))
            sum_up(found.pk)
    except BaseException:
        for path in done:
            shelf.delete(path.name)
        raise
    return found


def counts_of_cut(made: FinishPlan) -> Counts:
    """Return what is counted in a cut: the frames that it should have, also where the take has none."""
    return Counts(ticks=made.ticks)


def _stored(takes: Sequence[tuple[Take, int]], finish: Finish, made: FinishPlan) -> Take:
    """Store the take that was made, with what is known of the first one that it was made from."""
    take = takes[0][0]
    found = Take.objects.create(
        name=f"{take.name[: MAX_NAME - 12]} {ending_of(finish)}",
        rig=take.rig,
        rig_name=take.rig_name if take.asked is not None else f"Made from {take.name}"[:MAX_NAME],
        state=TakeState.CLOSED,
        started_at=take.started_at,
        asked=_asked(take, made) if not made.left_out else None,
        finish=to_plain(finish),
        tracks=_titles(take, made),
        counts=take.counts if finish.keep is None else to_plain(counts_of_cut(made)),
        problem=" ".join(f"Left out: {one.stream.title or one.stream.kind}. {one.why}." for one in made.left_out),
        folder=take.folder,
        shelf_key=take.shelf_key,
        origin=TakeOrigin.MADE,
        is_good=take.is_good,
        note=take.note,
        tags=take.tags,
        proof_state=ProofState.WAITING,
    )
    found.made_from.add(*(one for one, _ in takes))
    Mark.objects.bulk_create(
        Mark(take=found, tick=tick, label=mark.label, kind=mark.kind)
        for one, begin in takes
        for mark in one.marks.all()
        if (tick := _moved(one, begin, made, mark.tick)) is not None
    )
    return found


def _titles(take: Take, made: FinishPlan) -> list[str]:
    """Return what the tracks are called: anew, as those of the take, or as the file says."""
    places = {index: place for place, index in enumerate(sorted(one.stream.index for one in made.sounds))}
    known = dict(enumerate(take.tracks))
    return [
        (one.change.title if one.change else "") or known.get(places[one.stream.index], one.stream.title)
        for one in made.sounds
        if one.stream.index in made.kept
    ]


def _moved(take: Take, begin: int, made: FinishPlan, tick: int) -> int | None:
    """Return where a mark of a take comes to lie that begins with a tick of the whole; None where what it marks is left
    out."""
    keep = made.finish.keep
    if keep is None:
        return tick
    own = take.form.tick_rate / keep.rate
    there = keep.made_tick(begin + int(tick / own))
    if there is None:
        return None
    return round(there * own) if made.pace is None else int(there * made.pace.per_tick / made.pace.step)


def ending_of(finish: Finish) -> str:
    """Return what the name of what is made has beyond its take's: how it was made."""
    ending = "cut" if finish.keep is not None else CONTAINERS[finish.container].name
    if finish.behind:
        ending = "joined"
    if finish.encoding is not None:
        recipe = finish.encoding.recipe
        ending = "archive" if recipe.rate.kind is RateKind.LOSSLESS else recipe.codec_facts.label
    return ending


def _asked(take: Take, made: FinishPlan) -> dict[str, object] | None:
    """Return what is asked of what is made of a take; None where that could never have been asked for.

    Of what Reel did not encode only what is encoded anew is asked, as if the file had been an input; nothing where its
    pictures leave out ticks, since nobody knows whether they were lost.
    """
    is_rigs = take.asked is not None and take.setup.picture.own is None
    if not is_rigs and (made.frame is None or made.frames != made.ticks or not _is_upright(made)):
        return None
    try:
        setup = take.setup if is_rigs else _FROM_A_FILE
        recipe = _recipe_of(setup.recipe, made.finish)
        if made.frame is not None:
            setup = replace(setup, frame=replace(setup.frame, mode=made.frame, as_it_comes=False))
    except BadValueError:
        return None
    return stored(replace(setup, recipe=recipe))


def _is_upright(made: FinishPlan) -> bool:
    """Return whether what is made has square pixels that are not turned, as all that a rig is asked for."""
    pictures = [one.stream for one in made.streams if one.stream.kind is StreamKind.PICTURE]
    return not made.finish.keeps_frames or all(one.aspect == 1 and not one.turned_deg for one in pictures)


def _recipe_of(recipe: Recipe, finish: Finish) -> Recipe:
    """Return the recipe that what is made is held against: that of the finish, or the take's in another container."""
    if finish.encoding is None:
        tags = finish.picture
        return replace(
            recipe, container=finish.container, sound_files=SoundFiles.NONE,
            matrix=tags.matrix or recipe.matrix, range=tags.range or recipe.range,
        )  # fmt: skip
    return replace(finish.encoding.recipe, sound_files=SoundFiles.NONE)
