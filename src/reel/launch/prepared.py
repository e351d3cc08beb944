"""Bringing a home's database up to date, once for a set of migrations."""

import subprocess
import sys

from reel.core.errors import ReelError
from reel.options import ROOT, Home, value


class StartError(ReelError, RuntimeError):
    """Raised when Reel can't be started: the home is in use, the port is taken, or a process does not come up."""


def django(*arguments: str) -> list[str]:
    """Return the command that runs one of Django's."""
    return [sys.executable, "-m", "django", *arguments]


def prepare(home: Home, *, demo: bool = False) -> None:
    """Bring the database up to date; with the same migrations as the last time Django need not be asked.

    A home that was prepared for the demo is so for anything else. Raises StartError.
    """
    names = sorted(str(path.relative_to(ROOT)) for path in (ROOT / "src" / "reel" / "web").glob("*/migrations/0*.py"))
    stamp = home.run / "prepared"
    wanted = ["\n".join([*names, f"demo {has_demo}"]) for has_demo in ((True,) if demo else (False, True))]
    if home.database.exists() and stamp.exists() and stamp.read_text() in wanted:
        return
    try:
        measured = ["--measure"] if demo and value("MEASURE") == "1" else []
        measured += ["--shelf"] if demo and value("DEMO_SHELF") == "1" else []
        command = django("prepare", *(["--demo"] if demo else []), *measured)
        subprocess.run(command, check=True, stdout=sys.stderr)  # what a command prints may be read by another
    except subprocess.CalledProcessError as error:
        raise StartError(f"{home.root} could not be prepared; what failed is said above.") from error
    home.make()
    stamp.write_text(wanted[0])
