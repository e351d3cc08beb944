"""`./reel roll`."""

import json
import threading
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager

from django.conf import settings
from django.core.management.base import BaseCommand, CommandParser

from reel.core.errors import ReelError
from reel.recorder.lock import AlreadyRunningError, only_recorder
from reel.recorder.messages import Ask, Cut, RefusedError, StartRoll, UnreachableError
from reel.recorder.server import serve
from reel.web.jobs.running import run_here
from reel.web.live.recorder import client
from reel.web.rigs.actions import refuse_unasked
from reel.web.rigs.models import Rig
from reel.web.roll.journal import DatabaseJournal
from reel.web.roll.management.commands.recorder import places
from reel.web.takes.actions import recover_interrupted
from reel.web.takes.models import PROVE, ProofState, Take
from reel.web.takes.report import report

PROOF_S = 60.0
START_S = 20.0


class CommandError(ReelError, RuntimeError):
    """Raised when the command can't do what it was asked."""


class Command(BaseCommand):
    """Rolls a rig for a while, cuts, waits for the proof and prints it."""

    help = "Record a take of a rig."

    def add_arguments(self, parser: CommandParser) -> None:
        """Add what is rolled and for how long."""
        parser.add_argument("rig")
        parser.add_argument("--length-s", type=float, required=True)
        parser.add_argument("--json", action="store_true")

    def handle(self, *args: object, rig: str, length_s: float, **options: object) -> None:
        """Roll; raises a ReelError when it failed, CommandError when the take ended by itself."""
        found = _find(rig)
        refuse_unasked(found)
        with _recorder() as is_own:
            rolled = StartRoll(rig_id=found.pk, rig_name=found.name, setup=found.plan, plays=found.played)
            take_id = client().ask(rolled).take_id
            assert take_id is not None
            try:
                _wait(take_id, length_s)
            finally:
                self._cut(take_id)
        take = Take.objects.get(pk=take_id)
        if is_own:
            run_here(PROVE, take.pk)
        take = _proved(take)
        self.stdout.write(json.dumps(report(take), indent=2) if options["json"] else _words(take))
        if take.problem:
            raise CommandError(take.problem)

    def _cut(self, take_id: int) -> None:
        try:
            client().ask(Cut(take_id=take_id))
        except RefusedError as error:
            self.stderr.write(f"reel: {error}")


def _find(name: str) -> Rig:
    """Find a rig by name or number; raises CommandError."""
    by_number = Rig.objects.filter(pk=int(name)) if name.isdecimal() and len(name) < 19 else Rig.objects.none()
    rig = Rig.objects.filter(name__iexact=name).first() or by_number.first()
    if rig is None:
        raise CommandError(f"There is no rig “{name[:60]}”; ./reel rigs lists them.")
    return rig


@contextmanager
def _recorder() -> Iterator[bool]:
    """Use the running recorder, or run one in this process meanwhile; gives whether it is our own."""
    with ExitStack() as stack:
        try:
            stack.enter_context(only_recorder(settings.HOME.run))
        except AlreadyRunningError:
            _await_start()  # it may be starting, or busy
            yield False
            return
        recover_interrupted()
        stop = threading.Event()
        work = {**places(), "journal": DatabaseJournal(), "stop": stop}
        thread = threading.Thread(target=serve, kwargs=work, name="recorder")
        thread.start()
        try:
            _await_start()
            yield True
        finally:
            stop.set()
            thread.join()


def _await_start() -> None:
    deadline_s = time.monotonic() + START_S
    while True:
        try:
            client().ask(Ask(), timeout_ms=500)
        except UnreachableError:
            if time.monotonic() > deadline_s:
                raise
            threading.Event().wait(0.05)
        else:
            return


def _wait(take_id: int, length_s: float) -> None:
    """Wait until the take is `length_s` long, or has ended by itself."""
    while True:
        roll = client().ask(Ask()).status.roll
        if roll is None or roll.take_id != take_id or roll.length_s >= length_s:
            return
        threading.Event().wait(min(0.2, max(0.02, length_s - roll.length_s)))


def _proved(take: Take) -> Take:
    """Wait for the worker's proof; raises CommandError when it does not come."""
    deadline_s = time.monotonic() + PROOF_S
    while take.proof_state == ProofState.WAITING:
        if time.monotonic() > deadline_s:
            raise CommandError(f"{take.name} is on the shelf, but the worker has not proved it in {PROOF_S:.0f} s.")
        threading.Event().wait(0.1)
        take.refresh_from_db()
    return take


def _words(take: Take) -> str:
    facts = report(take)
    proof = take.proved
    lines = [f"take   {take.name}", f"file   {facts['file']}"]
    if proof is not None:
        lines.append(f"proof  {proof.summary}")
        lines += [f"       {line.label}: asked {line.asked}, got {line.got}. {line.cause}" for line in proof.differing]
    return "\n".join(lines)
