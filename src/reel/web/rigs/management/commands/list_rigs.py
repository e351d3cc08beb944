"""`./reel rigs`."""

import json

from django.core.management.base import BaseCommand, CommandParser
from django.db.models import Count

from reel.core.errors import ReelError
from reel.web.rigs.models import Rig


class Command(BaseCommand):
    """Lists the rigs."""

    help = "List the rigs."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--json", action="store_true")

    def handle(self, *args: object, **options: object) -> None:
        """Print a line, or an object, for each rig."""
        rigs = Rig.objects.annotate(take_count=Count("takes"))
        if options["json"]:
            found = [{"id": r.pk, "name": r.name, "takes": r.take_count, "setup": r.setup} for r in rigs]
            self.stdout.write(json.dumps(found, indent=2))
            return
        for rig in rigs:
            try:
                plan = rig.plan
            except ReelError as error:
                self.stdout.write(f"{rig.pk:4}  {rig.name:32}  can't be read: {error}")
                continue
            recorded = f"{plan.frame.mode.label}, {plan.recipe.label}, {plan.recipe.container.value.upper()}"
            self.stdout.write(f"{rig.pk:4}  {rig.name:32}  {plan.picture.device.kind.label}, {recorded}")
