"""Keeping recipes, and what may be done with those that are kept."""

from django.db import transaction

from reel.core.errors import ReelError
from reel.core.file import Recipe, read_recipe, write_recipe
from reel.core.wire import to_plain
from reel.web.recipes.models import MAX_NAME, KeptRecipe
from reel.web.ui.typed import clean_name, free_name


def keep(name: str, recipe: Recipe) -> KeptRecipe:
    """Keep a recipe under a name; one of that name is kept anew. Raises BadValueError for a bad name."""
    found, _ = KeptRecipe.objects.update_or_create(name=_clean(name), defaults={"settings": to_plain(recipe)})
    return found


def duplicate(kept: KeptRecipe) -> KeptRecipe:
    """Keep a second recipe like one, under a name that is free."""
    return KeptRecipe.objects.create(name=_free(f"{kept.name} copy"), settings=kept.settings)


@transaction.atomic
def make_default(kept: KeptRecipe) -> None:
    """Have new rigs begin with a recipe."""
    KeptRecipe.objects.update(is_default=False)
    KeptRecipe.objects.filter(pk=kept.pk).update(is_default=True)


def default_recipe() -> Recipe | None:
    """Return what new rigs begin with; None where nothing was chosen, or it can't be read."""
    kept = KeptRecipe.objects.filter(is_default=True).first()
    try:
        return kept.recipe if kept is not None else None
    except ReelError:
        return None


def name_of(recipe: Recipe) -> str:
    """Return the name that a recipe is kept under, "" for none."""
    return KeptRecipe.objects.filter(settings=to_plain(recipe)).values_list("name", flat=True).first() or ""


def import_file(data: bytes) -> KeptRecipe:
    """Keep the recipe that a file holds; a name that is taken gets a number. Raises BadValueError."""
    name, recipe = read_recipe(data)
    return KeptRecipe.objects.create(name=_free(_clean(name)), settings=to_plain(recipe))


def export_file(kept: KeptRecipe) -> bytes:
    """Return a recipe as the content of a file."""
    return write_recipe(kept.name, kept.recipe)


def _free(wanted: str) -> str:
    return free_name(wanted, KeptRecipe.objects.values_list("name", flat=True), MAX_NAME)


def _clean(text: str) -> str:
    return clean_name("Name", " ".join(text.split()), MAX_NAME)
