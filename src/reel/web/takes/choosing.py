"""What is done to several takes at once: those that were chosen in the list, or all that it finds."""

from collections.abc import Iterable

from django.db import transaction
from django.http import QueryDict

from reel.core.errors import BadValueError
from reel.web.takes.listing import Query
from reel.web.takes.models import MAX_TAG, MAX_TAGS, Take
from reel.web.takes.summing import note_words, sum_up
from reel.web.ui.typed import clean_name, numbers_of

# So many takes are worked on at once.
MAX_CHOSEN = 10_000


def chosen(sent: QueryDict) -> list[int]:
    """Return the numbers of the takes that a page names: those ticked, or all that its query finds.

    Raises BadValueError where there are none, or too many.
    """
    if sent.get("all"):
        asked = Query.read(QueryDict(sent.get("query", "")[:2000])).takes()
        found = list(asked.values_list("pk", flat=True)[: MAX_CHOSEN + 1])
    else:
        found = list(numbers_of(sent.getlist("take")[: MAX_CHOSEN + 1]))
    if not found:
        raise BadValueError("Takes", "none", "choose at least one")
    if len(found) > MAX_CHOSEN:
        raise BadValueError("Takes", f"more than {MAX_CHOSEN}", "so many are worked on at once; narrow the list")
    return found


def set_good(ids: Iterable[int], *, is_good: bool) -> int:
    """Say of takes that they are good, or are not; returns how many."""
    return Take.objects.filter(pk__in=ids).update(is_good=is_good)


@transaction.atomic
def add_tag(ids: Iterable[int], typed: str) -> int:
    """Give takes a tag, once each; returns how many. Raises BadValueError."""
    tag = clean_name("Tag", typed, MAX_TAG)
    takes = list(Take.objects.with_parts().filter(pk__in=ids))
    for take in takes:
        if tag in take.tags:
            continue
        if len(take.tags) >= MAX_TAGS:
            raise BadValueError("Tag", tag, f"{take.name} has {MAX_TAGS} tags already, and no take has more")
        take.tags = [*take.tags, tag]
        Take.objects.filter(pk=take.pk).update(tags=take.tags)
        note_words(take)
    return len(takes)


@transaction.atomic
def note(take: Take, typed_note: str, typed_tags: str) -> None:
    """Set a take's note, and its tags from a list with commas; raises BadValueError."""
    text = typed_note.strip()
    limit = Take._meta.get_field("note").max_length or 0
    if len(text) > limit or not text.replace("\n", " ").replace("\r", " ").isprintable():
        raise BadValueError("Note", text, f"it has up to {limit} printable characters")
    tags = list(dict.fromkeys(clean_name("Tag", one, MAX_TAG) for one in typed_tags.split(",") if one.strip()))
    if len(tags) > MAX_TAGS:
        raise BadValueError("Tags", f"{len(tags)} of them", f"a take has up to {MAX_TAGS}")
    Take.objects.filter(pk=take.pk).update(note=text, tags=tags)
    sum_up(take.pk)
