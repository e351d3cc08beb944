"""`./reel finish`."""

import json
import sys

from django.core.management.base import BaseCommand, CommandParser

from reel.core.errors import ReelError
from reel.core.finish import Finish
from reel.core.wire import from_plain
from reel.recorder.messages import RefusedError
from reel.web.finishes.making import Make, make
from reel.web.finishes.models import KeptFinish
from reel.web.finishes.proposals import Rules
from reel.web.takes.models import Take
from reel.web.takes.proving import path_of
from reel.web.ui.typed import number_of


class Command(BaseCommand):
    """Finishes takes, by their names or numbers, as a finish that is kept under a name says; each on its own."""

    help = "Finish takes."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("takes", nargs="+")
        parser.add_argument("--as", dest="kept", required=True)
        parser.add_argument("--json", action="store_true")

    def handle(self, *args: object, **options: object) -> None:
        """Print a line, or an object, for each take; the exit code is 1 where one could not be finished."""
        kept = KeptFinish.objects.filter(name=options["kept"]).first()
        if kept is None:
            names = ", ".join(KeptFinish.objects.values_list("name", flat=True)) or "none"
            raise RefusedError(f"No finish is kept as “{options['kept']}”. Kept are: {names}.")
        finish, rules = from_plain(kept.value, Finish), from_plain(kept.rules, Rules)
        wanted: list[str] = options["takes"]  # type: ignore[assignment]  # as argparse gives it
        done = [_finished(name, finish, rules) for name in wanted]
        if options["json"]:
            self.stdout.write(json.dumps(done, indent=2))
        else:
            for one in done:
                self.stdout.write(f"{one['take']}: {one['problem'] or one['file']}")
        if any(one["problem"] for one in done):
            sys.exit(1)


def _finished(name: str, finish: Finish, rules: Rules) -> dict[str, object]:
    """Finish a take and say what came of it; what can't be done is said, and the others are done."""
    takes = Take.objects.kept().with_parts()
    take = takes.filter(name=name).first() or takes.filter(pk=number_of(name) or 0).first()
    facts: dict[str, object] = {"take": name, "file": None, "made": None, "left_out": "", "problem": ""}
    if take is None:
        return facts | {"problem": "there is no such take"}
    try:
        made = make(Make(subject=take.pk, finish=finish, rules=rules), lambda part: None)
    except ReelError as error:
        return facts | {"problem": str(error)}
    if made is None:
        return facts | {"problem": "it was deleted meanwhile"}
    return facts | {"file": str(path_of(made.first)), "made": made.pk, "left_out": made.problem}
