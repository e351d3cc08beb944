"""What can be set from outside: one table, with the prefix REEL_ in the environment."""

import os
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from reel.core.errors import BadValueError

PREFIX = "REEL_"
# where a test run leaves its counts for the checks that started it
TEST_COUNTS = PREFIX + "TEST_COUNTS"
# where tests keep their database; in memory when empty, which has no locks like those of a file
TEST_DATABASE = PREFIX + "TEST_DATABASE"
ROOT = Path(__file__).resolve().parents[2]
# The fonts that ship with the pages, which captions are written in too.
FONTS = Path(__file__).resolve().parent / "web" / "ui" / "static" / "reel" / "fonts"


@dataclass(frozen=True, slots=True, kw_only=True)
class Option:
    """One setting: the environment's name is PREFIX + `name`; `unit` is "" for text."""

    name: str
    default: str
    unit: str
    help: str


OPTIONS = {
    option.name: option
    for option in (
        Option(
            name="HOME", default="~/Reel", unit="folder", help="Database, shelf, feeds, logs: all that a person makes."
        ),
        Option(name="PORT", default="8047", unit="TCP port", help="Where the pages are served, on 127.0.0.1 only."),
        Option(name="SHELF", default="", unit="folder", help="Where takes are written; empty means HOME/shelf."),
        Option(
            name="RESERVE_MB",
            default="1000",
            unit="megabytes",
            help="Room that a roll leaves free on the shelf's drive; it is cut when the reserve is reached.",
        ),
        Option(
            name="WAITING_MB",
            default="256",
            unit="megabytes",
            help="Memory for pictures of a take that wait to be encoded, up to 10 s of them.",
        ),
        Option(
            name="BIN_DAYS", default="30", unit="days", help="How long a take stays in the bin before it is deleted."
        ),
        Option(
            name="VERIFY_MONTHS",
            default="6",
            unit="months",
            help="After how long the frames of archive copies are held against their hashes again; 0 for never.",
        ),
        Option(
            name="FINISH_WHILE_ROLLING",
            default="pause",
            unit="pause or go",
            help="What finishing and rewrapping do while anything rolls.",
        ),
        Option(name="QUEUE", default="", unit="file", help="The job queue's database; empty means HOME/queue.sqlite3."),
        Option(
            name="MEASURE",
            default="1",
            unit="0 or 1",
            help="Measure this machine in the background when a demo is first started.",
        ),
        Option(
            name="DEMO_SHELF",
            default="1",
            unit="0 or 1",
            help="Record two weeks of takes in the background when a demo is first started.",
        ),
        Option(name="DEBUG", default="0", unit="0 or 1", help="Show tracebacks on pages; for developers."),
    )
}


def value(name: str) -> str:
    """Return an option from the environment or its default."""
    option = OPTIONS[name]
    return os.environ.get(PREFIX + name, option.default) or option.default


def port() -> int:
    """Give PORT as a number; raises BadValueError."""
    text = value("PORT")
    if not text.isdecimal() or not 1 <= int(text) <= 65535:
        raise BadValueError(f"{PREFIX}PORT", text, "it must be a number from 1 to 65535")
    return int(text)


def reserve_bytes() -> int:
    """Give RESERVE_MB in bytes; raises BadValueError."""
    return _megabytes("RESERVE_MB")


def waiting_bytes() -> int:
    """Give WAITING_MB in bytes; raises BadValueError."""
    return _megabytes("WAITING_MB")


def bin_days() -> int:
    """Give BIN_DAYS; raises BadValueError."""
    return _whole("BIN_DAYS")


def verify_months() -> int:
    """Give VERIFY_MONTHS; raises BadValueError."""
    return _whole("VERIFY_MONTHS")


def finishes_pause() -> bool:
    """Say whether FINISH_WHILE_ROLLING is to pause; raises BadValueError."""
    text = value("FINISH_WHILE_ROLLING")
    if text not in ("pause", "go"):
        raise BadValueError(f"{PREFIX}FINISH_WHILE_ROLLING", text, "it is pause or go")
    return text == "pause"


def _megabytes(name: str) -> int:
    return _whole(name) * 1_000_000


def _whole(name: str) -> int:
    text = value(name)
    if not (text.isascii() and text.isdecimal()) or len(text) > 9:
        raise BadValueError(f"{PREFIX}{name}", text, f"it must be a whole number of {OPTIONS[name].unit}")
    return int(text)


@dataclass(frozen=True, slots=True)
class Home:
    """The folder that everything lives under."""

    root: Path

    @classmethod
    def from_environment(cls) -> "Home":
        """Return the home that REEL_HOME names."""
        return cls(Path(value("HOME")).expanduser().resolve())

    @property
    def database(self) -> Path:
        return self.root / "reel.sqlite3"

    @property
    def queue(self) -> Path:
        """The job queue's SQLite file."""
        return Path(value("QUEUE")).expanduser() if value("QUEUE") else self.root / "queue.sqlite3"

    @property
    def shelf(self) -> Path:
        return Path(value("SHELF")).expanduser().resolve() if value("SHELF") else self.root / "shelf"

    @property
    def images(self) -> Path:
        """Images that were uploaded, to be laid over pictures."""
        return self.root / "images"

    @property
    def spoken(self) -> Path:
        """What was spoken over takes."""
        return self.root / "spoken"

    @property
    def feeds(self) -> Path:
        """Media files that can be played as feeds."""
        return self.root / "feeds"

    @property
    def devices(self) -> Path:
        """The storage of stand-in devices that record by themselves."""
        return self.root / "devices"

    @property
    def run(self) -> Path:
        """Sockets and locks; for this user alone."""
        return self.root / "run"

    @property
    def logs(self) -> Path:
        return self.root / "logs"

    @property
    def cache(self) -> Path:
        """Posters and browser copies; may be deleted, and is made again."""
        return self.root / "cache"

    @property
    def secret(self) -> Path:
        """The key that signs sessions and form tokens."""
        return self.root / "secret"

    def make(self) -> None:
        """Make what is missing; all of it is closed to others."""
        for folder in (self.root, self.shelf, self.feeds, self.spoken, self.logs, self.cache):
            folder.mkdir(parents=True, exist_ok=True)
        self.run.mkdir(mode=0o700, exist_ok=True)
        for folder in (self.root, self.run):
            with suppress(PermissionError):  # a home of somebody else's, which they have opened to us
                folder.chmod(0o700)
        if self.database.exists():
            with suppress(PermissionError):
                self.database.chmod(0o600)
        if not self.secret.exists():
            handle = os.open(self.secret, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
            with os.fdopen(handle, "w") as file:
                file.write(os.urandom(40).hex())
