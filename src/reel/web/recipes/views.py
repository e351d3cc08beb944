"""The page of recipes: the list, two beside each other line by line, and what may be done with each."""

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from reel.core.errors import ReelError
from reel.core.file import lines
from reel.web.recipes import actions
from reel.web.recipes.models import KeptRecipe
from reel.web.ui.exchange import give_file, take_file
from reel.web.ui.typed import numbers_of


@require_GET
def index(request: HttpRequest) -> HttpResponse:
    """List the recipes; `?with=` names those that are compared."""
    rows = [_row(kept) for kept in KeptRecipe.objects.all()]
    asked = numbers_of(request.GET.getlist("with"))
    compared = [row for row in rows if row["kept"].pk in asked and row["lines"]][:3]  # type: ignore[attr-defined]
    context = {"rows": rows, "asked": asked, "room": "recipes"}
    if len(compared) > 1:
        context["compared"] = [row["kept"] for row in compared]
        context["compared_lines"] = _beside(compared)
    return render(request, "recipes/index.html", context)


def _row(kept: KeptRecipe) -> dict[str, object]:
    try:
        recipe = kept.recipe
    except ReelError as error:
        return {"kept": kept, "lines": None, "problem": str(error)}
    return {"kept": kept, "recipe": recipe, "lines": lines(recipe)}


def _beside(rows: list[dict[str, object]]) -> list[tuple[str, list[str], bool]]:
    """Return each setting with the values of all, and whether they differ."""
    found: list[dict[str, str]] = [row["lines"] for row in rows]  # type: ignore[misc]
    return [(name, [one[name] for one in found], len({one[name] for one in found}) > 1) for name in found[0]]


@require_POST
def duplicate(request: HttpRequest, recipe_id: int) -> HttpResponse:
    """Keep a second one like it."""
    copy = actions.duplicate(get_object_or_404(KeptRecipe, pk=recipe_id))
    messages.success(request, f"{copy.name} is set like the first one.")
    return redirect("recipes:index")


@require_POST
def make_default(request: HttpRequest, recipe_id: int) -> HttpResponse:
    """Have new rigs begin with it."""
    kept = get_object_or_404(KeptRecipe, pk=recipe_id)
    actions.make_default(kept)
    messages.success(request, f"New rigs begin with {kept.name}.")
    return redirect("recipes:index")


@require_POST
def delete(request: HttpRequest, recipe_id: int) -> HttpResponse:
    """Forget a recipe; rigs that were set by it stay as they are."""
    kept = get_object_or_404(KeptRecipe, pk=recipe_id)
    kept.delete()
    messages.success(request, f"{kept.name} is forgotten; rigs that were set by it stay as they are.")
    return redirect("recipes:index")


@require_GET
def export(request: HttpRequest, recipe_id: int) -> HttpResponse:
    """Return a recipe as a file."""
    kept = get_object_or_404(KeptRecipe, pk=recipe_id)
    return give_file(kept.name, "recipe", actions.export_file(kept))


@require_POST
def import_file(request: HttpRequest) -> HttpResponse:
    """Keep the recipe that a file holds; a bad one is refused with the reason."""
    take_file(request, actions.import_file)
    return redirect("recipes:index")
