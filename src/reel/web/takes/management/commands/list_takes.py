"""`./reel takes`."""

import json

from django.core.management.base import BaseCommand, CommandParser

from reel.core.signal import length_label
from reel.web.takes.models import Take
from reel.web.takes.report import report


class Command(BaseCommand):
    """Lists the takes, newest first."""

    help = "List the takes."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--json", action="store_true")

    def handle(self, *args: object, **options: object) -> None:
        """Print a line, or an object, for each take."""
        if options["json"]:
            self.stdout.write(json.dumps([report(take) for take in Take.objects.with_parts()], indent=2))
            return
        for take in Take.objects.with_parts().iterator(chunk_size=100):
            length = length_label(take.length_s) if take.length_s is not None else "–"
            self.stdout.write(f"{take.pk:4}  {take.name:36}  {length:>12}  {take.state:11}  proof: {take.proof_state}")
