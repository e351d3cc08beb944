"""`./reel roll`."""

import json
import threading
import time
from dataclasses import replace
from fractions import Fraction

from django.core.management.base import BaseCommand, CommandParser

from reel.core.errors import ReelError
from reel.core.file import Recipe, with_parts
from reel.core.roll import ending
from reel.recorder.messages import Ask, Cut, RefusedError, RigToRoll, StartRoll
from reel.web.jobs.running import run_here
from reel.web.live.recorder import client
from reel.web.recipes.models import KeptRecipe
from reel.web.rigs.actions import refuse_slow_drive, refuse_unasked
from reel.web.rigs.models import Rig
from reel.web.roll.here import recorder_here
from reel.web.stages.costs import cost_of
from reel.web.takes.models import PROVE, Part, ProofState, Take
from reel.web.takes.proving import path_of
from reel.web.takes.report import report
from reel.web.ui.typed import numbers_of

PROOF_S = 60.0


class CommandError(ReelError, RuntimeError):
    """Raised when the command can't do what it was asked."""


class Command(BaseCommand):
    """Rolls rigs for a while, all from the same instant on, cuts, waits for the proofs and prints them."""

    help = "Record a take of a rig, or one of each of several at the same time."

    def add_arguments(self, parser: CommandParser) -> None:
        """Add what is rolled and for how long."""
        parser.add_argument("rigs", nargs="+", metavar="RIG")
        parser.add_argument("--length-s", type=float, default=0.0)
        parser.add_argument("--recipe", default="")
        parser.add_argument("--parts", default="")
        parser.add_argument("--until", default="")
        parser.add_argument("--json", action="store_true")

    def handle(
        self,
        *args: object,
        rigs: list[str],
        length_s: float,
        recipe: str = "",
        parts: str = "",
        until: str = "",
        **options: object,
    ) -> None:
        """Roll; raises a ReelError when it failed, CommandError when a take ended by itself."""
        found = list(dict.fromkeys(find_rig(rig) for rig in rigs))
        for rig in found:
            refuse_unasked(rig)
            refuse_slow_drive(rig, cost_of(rig))
        kept = _find_recipe(recipe) if recipe else None
        asked = tuple(_as_asked(rig.to_roll, kept, parts, until) for rig in found)
        if not length_s and not until:
            raise CommandError("Say how long it rolls: --for 10s, or what ends it: --until 23:30.")
        with recorder_here() as is_own:
            ids = client().ask(StartRoll(rigs=asked, length_s=Fraction(length_s).limit_denominator(1000))).takes
            try:
                _wait(ids)
            finally:
                self._cut(ids)
        if is_own:
            for part in Part.objects.filter(take__in=ids):
                run_here(PROVE, part.pk)
        takes = [_proved(take_id) for take_id in ids]
        reports = [report(take) for take in takes]
        said = json.dumps(reports[0] if len(reports) == 1 else reports, indent=2)
        self.stdout.write(said if options["json"] else "\n".join(_words(take) for take in takes))
        for take in takes:
            if take.problem:
                raise CommandError(take.problem)

    def _cut(self, ids: tuple[int, ...]) -> None:
        """Cut what still rolls, all at the same instant."""
        status = client().ask(Ask()).status
        rolling = tuple(take_id for take_id in ids if status.roll_of(take_id=take_id))
        try:
            if rolling:
                client().ask(Cut(takes=rolling))
        except RefusedError as error:
            self.stderr.write(f"reel: {error}")


def find_rig(name: str) -> Rig:
    """Find a rig by name or number; raises CommandError."""
    by_number = Rig.objects.filter(pk__in=numbers_of([name]))
    rig = Rig.objects.filter(name__iexact=name).first() or by_number.first()
    if rig is None:
        raise CommandError(f"There is no rig “{name[:60]}”; ./reel rigs lists them.")
    return rig


def _wait(ids: tuple[int, ...]) -> None:
    """Wait until all takes have ended: by their length, or by what else ends them."""
    while any(client().ask(Ask()).status.roll_of(take_id=take_id) for take_id in ids):
        threading.Event().wait(0.05)


def _find_recipe(name: str) -> Recipe:
    """Find a kept recipe by its name; raises CommandError."""
    kept = KeptRecipe.objects.filter(name__iexact=name).first()
    if kept is None:
        raise CommandError(f"There is no recipe “{name[:60]}”; ./reel recipes lists them.")
    return kept.recipe


def _as_asked(asked: RigToRoll, kept: Recipe | None, parts: str, until: str) -> RigToRoll:
    """Return what is to roll with another recipe, in parts, and cut by what is said, for this once."""
    setup = asked.setup
    recipe = kept or setup.recipe
    if parts:
        recipe = with_parts(recipe, parts)
    roll = ending(setup.roll, until) if until else setup.roll
    return replace(asked, setup=replace(setup, recipe=recipe, roll=roll))


def _proved(take_id: int) -> Take:
    """Wait for the worker's proofs; raises CommandError when they do not come."""
    deadline_s = time.monotonic() + PROOF_S
    while (take := Take.objects.with_parts().get(pk=take_id)).proof_state == ProofState.WAITING:
        if time.monotonic() > deadline_s:
            raise CommandError(f"{take.name} is on the shelf, but the worker has not proved it in {PROOF_S:.0f} s.")
        threading.Event().wait(0.1)
    return take


def _words(take: Take) -> str:
    lines = [f"take   {take.name}"]
    for part in take.all_parts:
        lines.append(f"file   {path_of(part)}")
        proof = part.proved
        if proof is not None:
            lines.append(f"proof  {proof.summary}")
            lines += [
                f"       {line.label}: asked {line.asked}, got {line.got}. {line.cause}" for line in proof.differing
            ]
    return "\n".join(lines)
