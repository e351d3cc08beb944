"""A recipe as a file: JSON with a version, written for other machines and read back with care."""

import json
from typing import Any

from reel.core.errors import BadValueError
from reel.core.file.recipe import Recipe
from reel.core.wire import from_plain, to_plain

KIND, VERSION = "reel-recipe", 2
MAX_BYTES = 20_000


def write_recipe(name: str, recipe: Recipe) -> bytes:
    """Return a recipe as the content of a file: indented JSON in UTF-8."""
    content = {"kind": KIND, "version": VERSION, "name": name, "recipe": to_plain(recipe)}
    return (json.dumps(content, indent=2, ensure_ascii=False) + "\n").encode()


def read_recipe(data: bytes) -> tuple[str, Recipe]:
    """Read a recipe file; returns its name and the recipe. Raises BadValueError that says what is wrong with it."""
    if len(data) > MAX_BYTES:
        raise BadValueError("Recipe file", f"{len(data)} bytes", f"it has at most {MAX_BYTES}")
    try:
        content = json.loads(data.decode("utf-8", errors="replace"))
    except (ValueError, RecursionError) as error:
        where = f"line {error.lineno}: {error.msg}" if isinstance(error, json.JSONDecodeError) else "it can't be read"
        raise BadValueError("Recipe file", "this one", f"it is no JSON, {where}") from error
    if not isinstance(content, dict) or content.get("kind") != KIND:
        raise BadValueError("Recipe file", "this one", f'it says "kind": "{KIND}"')
    if content.get("version") not in (1, VERSION):
        raise BadValueError("Version", content.get("version"), f"this Reel reads recipe files up to version {VERSION}")
    name = content.get("name")
    if not isinstance(name, str) or not name.strip():
        raise BadValueError("Name", name, "a recipe file has one")
    given = content.get("recipe") if content.get("version") == VERSION else recipe_from_1(content.get("recipe"))
    recipe = from_plain(given, Recipe)
    _refuse_unknown(given, to_plain(recipe))
    return name, recipe


def recipe_from_1(recipe: Any) -> Any:
    """Return a written recipe of version 1, whose highest bitrate had another name, in version 2."""
    rate = recipe.get("rate") if isinstance(recipe, dict) else None
    if not isinstance(rate, dict) or "most_bps" not in rate:
        return recipe
    return {**recipe, "rate": {("max_bps" if key == "most_bps" else key): value for key, value in rate.items()}}


def _refuse_unknown(given: Any, made: Any) -> None:
    """Refuse a key that no recipe has: a misspelt one would be passed over in silence."""
    if not isinstance(given, dict):
        return
    for key, value in given.items():
        if key not in made:
            raise BadValueError("Recipe file", key, "no recipe has that setting")
        _refuse_unknown(value, made[key])
