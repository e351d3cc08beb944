"""`./reel recipes`."""

import json

from django.core.management.base import BaseCommand, CommandParser

from reel.core.errors import ReelError
from reel.core.file import lines
from reel.web.recipes.models import KeptRecipe


class Command(BaseCommand):
    """Lists the recipes that are kept, in words or as JSON."""

    help = "List the recipes that are kept under a name."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--json", action="store_true")

    def handle(self, *args: object, **options: object) -> None:
        found = list(KeptRecipe.objects.all())
        if options["json"]:
            rows = [{"name": one.name, "default": one.is_default, "recipe": one.settings} for one in found]
            self.stdout.write(json.dumps(rows, indent=2))
            return
        for one in found:
            try:
                settings = lines(one.recipe)
            except ReelError as error:
                self.stdout.write(f"{one.name}\n    can't be read: {error}")
                continue
            said = ", ".join(settings[name] for name in ("Container", "Codec", "Rate control", "Sound"))
            self.stdout.write(f"{one.name}{'  (new rigs)' if one.is_default else ''}\n    {said}")
