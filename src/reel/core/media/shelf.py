"""A shelf: a folder on a drive where takes are kept. Nothing outside it is touched, nothing in it is overwritten."""

import os
import secrets
import shutil
from collections.abc import Collection, Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from reel.core.file import CONTAINERS, NameFacts, file_stem, slug
from reel.core.media.errors import MediaError, NameTakenError

ROLLING = ".rolling"
# The folder of a take's files of sound: its name, with this ending.
BESIDE = ".sound"
# The file by which a shelf is known: where its drive is not mounted the folder may be there all the same.
OWN_FILE = ".reel-shelf"
# The folder of a shelf in which takes lie that were binned, each in one of its own.
BIN = ".reel-bin"
MAX_NUMBER = 99_999
LETTERS = ("", *"bcdefghijklmnopqrstuvwxyz")
_ENDINGS = tuple(sorted({f".{facts.suffix}" for facts in CONTAINERS.values()}))


@dataclass(frozen=True, slots=True, kw_only=True)
class Reserved:
    """A name that was set aside: the file is written at `rolling` and gets its name `final` when it is complete."""

    rolling: Path
    final: Path
    number: int


def sidecar_folder(path: Path) -> Path:
    """Return the folder in which the files of sound of a take at `path` lie, where it has some."""
    return path.with_suffix(BESIDE)


def part_tag(number: int) -> str:
    """Return what the name of a part has beyond the take's: nothing for the first."""
    return f"_part{number}" if number > 1 else ""


class Shelf:
    """The folder `root`. File names given to its methods are plain names, never paths.

    `key` is what its own file says, by which it is known again; "" for one that is not marked.
    """

    def __init__(self, root: Path, key: str = "") -> None:
        self.root, self.key = root, key
        self._of: Shelf | None = None

    def bin_of(self, take_id: int) -> "Shelf":
        """Return the folder of the shelf's bin in which a take's files lie, on the same drive; it may not be there."""
        found = Shelf(self.root / BIN / str(take_id), self.key)
        found._of = self
        return found

    def move(self, names: Sequence[str], other: "Shelf") -> list[str]:
        """Move the files of one take to another folder of the same drive, with what lies beside them: all or none.

        Gives the names there: where one is taken, all have a letter added. What is missing is not moved. Raises
        MediaError, NameTakenError.
        """
        other.make()
        for letter in LETTERS:
            targets = [other.path(Path(name).stem + letter + Path(name).suffix) for name in names]
            if any(other._stands(target.stem) for target in targets):
                continue
            pairs = [(self.path(name), target) for name, target in zip(names, targets, strict=True)]
            _move_all([(source, target) for source, target in pairs if source.exists()])
            return [target.name for target in targets]
        raise NameTakenError(other.path(names[0]))

    def clear(self) -> None:
        """Take an empty folder of the bin away."""
        with suppress(OSError):
            self.root.rmdir()

    def mark(self) -> str:
        """Have it known by a file of its own, and give its key; raises MediaError."""
        own = self.root / OWN_FILE
        try:
            if not own.exists():
                own.write_text(f"{secrets.token_hex(8)}\n")
            return own.read_text(errors="replace").strip()[:64]
        except OSError as error:
            raise MediaError(self.root, f"can't be written to ({error.strerror})") from error

    def reach(self) -> None:
        """Raise MediaError when it is not there, or its folder is not the one that was marked."""
        if self._of is not None:
            self._of.reach()
            return
        self.free_bytes()
        if not self.key:
            return
        try:
            found = (self.root / OWN_FILE).read_text(errors="replace").strip()
        except OSError:
            found = ""
        if found != self.key:
            said = "is there, but not the drive that was a shelf there; plug that in, or measure it anew on Shelves"
            raise MediaError(self.root, said)

    def make(self) -> None:
        """Make the folder where it is missing; raises MediaError."""
        try:
            self.root.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise MediaError(self.root, f"can't be made ({error.strerror})") from error

    def free_bytes(self) -> int:
        """Room that is left for this user; raises MediaError when the folder is gone."""
        try:
            return shutil.disk_usage(self.root).free
        except OSError as error:
            raise MediaError(self.root, "is a shelf that can't be reached") from error

    def check(self, reserve_bytes: int) -> None:
        """Raise MediaError, in a sentence for people, when no take can be written: gone, read-only, or too full."""
        self.reach()
        free = self.free_bytes()
        if not os.access(self.root, os.W_OK | os.X_OK):
            raise MediaError(self.root, "is a shelf that can't be written to; change its rights or choose another")
        if free <= reserve_bytes:
            room, kept = megabytes(free), megabytes(reserve_bytes)
            raise MediaError(self.root, f"has {room} left, and {kept} are kept free; make room on the drive first")

    def rescue(self, name: str, others: Collection[str] = ()) -> str:
        """Give a rolling file that nobody writes any more its name; returns the new name. Raises MediaError.

        Where it has its name already that is given; `others` are names that belong to other takes.
        """
        rolling = self.path(name)
        final = rolling.with_name(rolling.name.replace(ROLLING, "", 1))
        if rolling.exists() and rolling != final:
            return self.complete(Reserved(rolling=rolling, final=final, number=0)).name
        for named in _with_letters(final):
            if named.name not in others and named.exists():
                return named.name
        raise MediaError(final, "is gone")

    def discard(self, reserved: Reserved) -> None:
        """Give a reserved name back: nothing was recorded under it."""
        with suppress(OSError):
            reserved.rolling.unlink(missing_ok=True)
        shutil.rmtree(sidecar_folder(reserved.rolling), ignore_errors=True)

    def path(self, name: str) -> Path:
        """Return the path of a file on the shelf; raises MediaError for anything but a plain name."""
        if not name or name in (".", "..") or Path(name).name != name or "\x00" in name:
            raise MediaError(Path(slug(name)), "is not a file name")
        return self.root / name

    def reserve(self, pattern: str, facts: NameFacts, suffix: str) -> Reserved:
        """Set the next free name aside by making its rolling file; raises MediaError."""
        for number in range(self._after_last(pattern, facts), MAX_NUMBER):
            final = self.path(f"{file_stem(pattern, facts, number)}.{suffix}")
            rolling = final.with_name(f"{final.stem}{ROLLING}{final.suffix}")
            if self._stands(final.stem):
                continue
            try:
                rolling.touch(exist_ok=False)
            except FileExistsError:
                continue
            except OSError as error:
                raise MediaError(self.root, f"can't take a new file ({error.strerror})") from error
            return Reserved(rolling=rolling, final=final, number=number)
        raise MediaError(self.root, f"holds {MAX_NUMBER} takes of this name; change the name in File")

    def reserve_part(self, take: Reserved, number: int) -> Reserved:
        """Set the name of a take's part aside, from the second on, by making its rolling file; raises MediaError."""
        return self._set_aside(_tagged(take.final, number), take.number)

    def reserve_copy(self, name: str) -> Reserved:
        """Set the name of a file that comes from elsewhere aside, by making its rolling file; raises MediaError.

        Where a take has that name, or rolls under it, the same with a letter added.
        """
        return self._set_aside(self.path(name), 0)

    def _set_aside(self, wanted: Path, number: int) -> Reserved:
        for final in _with_letters(wanted):
            rolling = final.with_name(f"{final.stem}{ROLLING}{final.suffix}")
            if final.exists() or sidecar_folder(final).exists():
                continue
            try:
                rolling.touch(exist_ok=False)
            except FileExistsError:
                continue
            except OSError as error:
                raise MediaError(self.root, f"can't take another file ({error.strerror})") from error
            return Reserved(rolling=rolling, final=final, number=number)
        raise NameTakenError(wanted)

    def complete(self, reserved: Reserved) -> Path:
        """Give a finished file its name; if somebody took that name meanwhile, the next one with a letter added.

        What lies beside it goes along.
        """
        for final in _with_letters(reserved.final):
            if sidecar_folder(final).exists():
                continue
            try:
                _move_both(reserved.rolling, final)
            except NameTakenError:
                continue
            return final
        raise NameTakenError(reserved.final)

    def rename(self, files: Sequence[tuple[str, str]], stem: str) -> list[str]:
        """Rename the files of one take: (name, tag) each gets the stem with its tag, and keeps its ending.

        Gives the new names, in that order: all or none. Raises NameTakenError, MediaError.
        """
        pairs = [(self.path(name), self.path(f"{slug(stem)}{tag}{Path(name).suffix}")) for name, tag in files]
        pairs = [(source, target) for source, target in pairs if source != target]
        own = {source.stem for source, _ in pairs}
        for _, target in pairs:
            if target.stem not in own and self._stands(target.stem):
                raise NameTakenError(target)
        _move_all(pairs)
        return [f"{slug(stem)}{tag}{Path(name).suffix}" for name, tag in files]

    def put_back(self, names: Sequence[str], before: Sequence[str]) -> None:
        """Give renamed files the names that they had before."""
        pairs = [(self.path(name), self.path(old)) for name, old in zip(names, before, strict=True)]
        _move_all([(source, target) for source, target in pairs if source != target])

    def delete(self, name: str) -> None:
        """Delete a file and what lies beside it; one that is gone already is no error. Raises MediaError."""
        path = self.path(name)
        try:
            path.unlink(missing_ok=True)
            if sidecar_folder(path).is_dir():
                shutil.rmtree(sidecar_folder(path))
        except OSError as error:
            raise MediaError(path, f"can't be deleted ({error.strerror})") from error

    def _stands(self, stem: str) -> bool:
        return any((self.root / f"{stem}{ending}").exists() for ending in (*_ENDINGS, BESIDE))

    def _after_last(self, pattern: str, facts: NameFacts) -> int:
        """Find the first number of an unbroken free stretch by doubling and halving, for shelves of many takes."""

        def used(number: int) -> bool:
            return self._stands(file_stem(pattern, facts, number))

        high = 1
        while used(high) and high < MAX_NUMBER:
            high *= 2
        low = high // 2
        while low + 1 < high:
            middle = (low + high) // 2
            low, high = (middle, high) if used(middle) else (low, middle)
        return high


def _tagged(final: Path, number: int) -> Path:
    return final.with_stem(final.stem + part_tag(number))


def _with_letters(final: Path) -> list[Path]:
    """Return a name, and those that take its place when it is taken: the same with a letter added."""
    return [final.with_stem(final.stem + letter) for letter in LETTERS]


def _move_both(source: Path, target: Path) -> None:
    """Rename a file with what lies beside it: both or neither. Raises NameTakenError, MediaError."""
    _move_beside(source, target)
    try:
        _move(source, target)
    except (NameTakenError, MediaError):
        _move_beside(target, source)
        raise


def _move_all(pairs: Sequence[tuple[Path, Path]]) -> None:
    done: list[tuple[Path, Path]] = []
    try:
        for source, target in pairs:
            _move_both(source, target)
            done.append((source, target))
    except (NameTakenError, MediaError):
        for source, target in reversed(done):
            _move_both(target, source)
        raise


def _move_beside(source: Path, target: Path) -> None:
    try:
        if sidecar_folder(source).is_dir():
            sidecar_folder(source).rename(sidecar_folder(target))
    except OSError as error:
        raise MediaError(sidecar_folder(source), f"can't be renamed ({error.strerror})") from error


def megabytes(size_bytes: int) -> str:
    """Return a size in whole megabytes: `1 000 MB`."""
    return f"{size_bytes / 1e6:,.0f} MB".replace(",", " ")


def _move(source: Path, target: Path) -> None:
    """Rename without ever replacing a file: the name is taken first, which fails when it exists, then given to it.

    Needs no links, which the file systems of capture drives (FAT, exFAT) do not have.
    """
    try:
        if not source.is_file():
            raise MediaError(source, "is gone")
        os.close(os.open(target, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o644))
    except FileExistsError:
        raise NameTakenError(target) from None
    except MediaError:
        raise
    except OSError as error:
        raise MediaError(source, f"can't be renamed ({error.strerror})") from error
    try:
        source.replace(target)
    except OSError as error:
        target.unlink(missing_ok=True)
        raise MediaError(source, f"can't be renamed ({error.strerror})") from error
