"""What the list shows of a take and finds it by, summed up from its parts whenever one of them changes."""

from django.db import models, transaction

from reel.web.takes.models import Part, ProofState, Take
from reel.web.takes.words import INDEXED_LETTERS, TakeWords

# What is said of a take is the first of these that one of its parts is.
WORST_FIRST = (ProofState.FAILED, ProofState.DIFFERS, ProofState.WAITING, ProofState.NOT_ASKED, ProofState.AS_ASKED)


def sum_up(take_id: int) -> None:
    """Store what a take's parts come to, and the words that it is found by; nothing for one that is gone."""
    with transaction.atomic():
        take = Take.objects.with_parts().filter(pk=take_id).first()
        if take is None:
            return
        parts = take.all_parts
        states = {part.proof_state for part in parts}
        Take.objects.filter(pk=take_id).update(
            proof_state=next((state for state in WORST_FIRST if state in states), ProofState.WAITING),
            size_bytes=_sum([part.size_bytes for part in parts]),
            length_ms=_sum([part.length_ms for part in parts]),
            lost=max(take.counted.lost, sum(_lost(part) for part in parts)),
            codec=take.form.codec,
        )
        note_words(take)


def note_words(take: Take) -> None:
    """Store the words that a take is found by."""
    form, names = take.form, [part.file_name for part in take.all_parts]
    words = "\n".join(
        [take.name, take.rig_name, form.codec, form.container, *form.devices, take.note, *take.tags, *names]
    )
    TakeWords.objects.filter(pk=take.pk).delete()
    TakeWords.objects.create(pk=take.pk, words=words)


def forget_words(take_id: int) -> None:
    """Forget the words of a take that is deleted."""
    TakeWords.objects.filter(pk=take_id).delete()


def with_words(takes: models.QuerySet[Take], typed: str, *, in_order: bool = False) -> models.QuerySet[Take]:
    """Return those of some takes in whose words all of what was typed stands, parted by spaces.

    `in_order` has them looked through in the order of an index, for a page of many; else each that is found is read.
    """
    if typed and in_order:  # a sum is no key that SQLite would look up
        takes = takes.annotate(place=models.F("pk") + 0)
    for word in typed.split():
        # three letters are what is indexed
        found = {"words__has": word} if len(word) >= INDEXED_LETTERS else {"words__icontains": word}
        takes = takes.filter(**{"place__in" if in_order else "pk__in": TakeWords.objects.filter(**found).values("pk")})
    return takes


def _lost(part: Part) -> int:
    """Return the frames that a part's drawing shows as lost, which the recorder may not have noticed."""
    return int(part.strand["frames_lost"]) if part.strand else 0


def _sum(values: list[int | None]) -> int | None:
    known = [value for value in values if value is not None]
    return sum(known) if known else None
