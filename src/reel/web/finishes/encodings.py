"""What becomes of picture and sound in the file of a finish: as they are, or encoded anew by a recipe."""

from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace
from decimal import Decimal

from reel.core.errors import BadValueError
from reel.core.file import (
    STARTING_POINTS,
    ConstantQuality,
    Container,
    Draft,
    Purpose,
    RateKind,
    Recipe,
    resolve,
    start_from,
)
from reel.core.finish import Encoding, Finish, PictureFinish, Source, archive_recipe
from reel.web.finishes.editing import Opened
from reel.web.recipes.models import KeptRecipe
from reel.web.ui.typed import number_of

AS_IS = "as-is"
# The starting points that are for files that are made afterwards; what is kept for ever is the archive copy.
_POINTS = (Purpose.SHARE, Purpose.SMALL, Purpose.EDIT, Purpose.LONG)


@dataclass(frozen=True, slots=True, kw_only=True)
class Choice:
    """A way to encode: what a form sends, what it is called and why one takes it, its recipe, None for as it is."""

    key: str
    label: str
    description: str
    recipe: Recipe | None
    is_chosen: bool = False


def choices(now: Opened) -> list[Choice]:
    """Return the ways to encode a take, the one of its finish marked."""
    encoding = now.finish.encoding
    chosen = encoding.recipe if encoding is not None else None
    found = list(_ways(now.sources, now.finish.picture))
    way = next((place for place, one in enumerate(found) if _is_way(one.recipe, chosen)), None)
    if way is not None:
        found[way] = replace(found[way], is_chosen=True)  # a recipe that is kept may be that of another way
    if encoding is not None and way is None:
        own = Choice(key="", label="As kept", description="", recipe=encoding.recipe, is_chosen=True)
        return [*found, own]
    return found


def _is_way(way: Recipe | None, chosen: Recipe | None) -> bool:
    """Return whether a recipe is that of a way to encode, also at another quality."""
    if way is None or chosen is None or way == chosen:
        return way == chosen
    is_other = isinstance(chosen.rate, ConstantQuality) and way.codec is chosen.codec
    return is_other and replace(way, rate=chosen.rate) == chosen


def _are_alike(sources: Sequence[Source]) -> bool:
    """Return whether files become one without a frame that is repeated or brought to another size."""
    forms = {one.pictures[0].form for one in sources}
    return len(forms) == 1 and all(one.packets is not None and one.packets.is_fixed for one in sources)


def _ways(sources: Sequence[Source], picture: PictureFinish) -> Iterator[Choice]:
    yield Choice(key=AS_IS, label="As they are", description="Nothing is encoded but what cuts ask for.", recipe=None)
    plain = resolve(Draft())
    for purpose in _POINTS:
        point = STARTING_POINTS[purpose]
        recipe = start_from(purpose, plain)
        yield Choice(key=f"point:{purpose}", label=point.label, description=point.description, recipe=recipe)
    archive = None
    with suppress(BadValueError):
        archive = archive_recipe(sources[0], picture) if _are_alike(sources) else None
    if archive is not None:
        description = (
            "FFV1 and FLAC in MKV: every frame to the last bit, with checksums inside and the hash of each beside it,"
            " held against them every few months. Very big."
        )
        yield Choice(key="archive", label="Archive copy", description=description, recipe=archive)
    for kept in KeptRecipe.objects.all():
        try:
            found = kept.recipe
        except BadValueError:
            continue  # one that this Reel can't read
        if not found.as_sent:
            yield Choice(key=f"kept:{kept.pk}", label=kept.name, description="A recipe that is kept.", recipe=found)


def encoded(now: Opened, key: str, container: str, size_mb: str, quality: str) -> Finish:
    """Return the finish with what a form says of its file, to a size or to a quality where one is typed; raises
    BadValueError."""
    choice = next((one for one in choices(now) if one.key == key), None)
    if choice is None:
        raise BadValueError("File", key[:20], "there is no such way to encode it")
    if choice.recipe is None:
        if container not in set(Container):
            raise BadValueError("Container", container[:20], f"it is one of {', '.join(Container)}")
        return replace(now.finish, container=Container(container), encoding=None)
    if quality.strip() and size_mb.strip():
        raise BadValueError("Quality", quality[:12], "a file is made to a size or to a quality: leave one empty")
    recipe = _of_quality(choice.recipe, quality.strip()) if quality.strip() else choice.recipe
    encoding = Encoding(recipe=recipe, size_bytes=_bytes(size_mb))
    return replace(now.finish, container=recipe.container, encoding=encoding)


def _of_quality(recipe: Recipe, typed: str) -> Recipe:
    """Return a recipe with a constant quality; raises BadValueError."""
    scale, codec = recipe.codec_facts.quality, recipe.codec_facts.label
    if scale is None or RateKind.QUALITY not in recipe.codec_facts.rates:
        raise BadValueError("Quality", typed[:12], f"{codec} has no constant quality")
    number = number_of(typed)
    if number is None or not scale.low <= number <= scale.high:
        raise BadValueError("Quality", typed[:12], f"for {codec} it is from {scale.low}, the best, to {scale.high}")
    return replace(recipe, rate=ConstantQuality(quality=number))


def _bytes(typed: str) -> int | None:
    """Read a size in MB; None where none is typed. Raises BadValueError."""
    text = typed.strip().replace(",", ".")
    if not text:
        return None
    whole, _, part = text.partition(".")
    if number_of(whole or "0") is None or len(whole) > 8 or (part and number_of(part) is None) or len(part) > 3:
        raise BadValueError("Size", typed[:12], "it is a number of megabytes")
    return int(Decimal(text) * 1_000_000)


def is_archive_of(finish: Finish, sources: list[Source]) -> bool:
    """Return whether a finish makes an archive copy of files: by the recipe that keeps their frames to the last bit."""
    if finish.encoding is None or not _are_alike(sources):
        return False
    try:
        return not finish.picture.is_drawn and finish.encoding.recipe == archive_recipe(sources[0], finish.picture)
    except BadValueError:
        return False
