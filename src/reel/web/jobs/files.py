"""Files that jobs make: reserved, written aside, named when whole. A job that ends before leaves nothing."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from reel.core.errors import ReelError
from reel.core.media import Reserved, Shelf
from reel.web.jobs.models import Aside


@contextmanager
def aside(shelf: Shelf, name: str) -> Iterator[Reserved]:
    """Set a name on a shelf aside while a file is written; what was not completed then is taken away.

    Raises MediaError, NameTakenError.
    """
    reserved = shelf.reserve_copy(name)
    noted = Aside(folder=str(shelf.root), name=reserved.rolling.name)
    try:
        noted.save()
        yield reserved
    finally:
        shelf.discard(reserved)  # nothing, once it has its name
        Aside.objects.filter(pk=noted.pk).delete()


def clear_asides() -> int:
    """Take away what killed workers left half-written; returns how many files. Called when no job runs."""
    count = 0
    for noted in Aside.objects.all():
        shelf = Shelf(Path(noted.folder))
        try:
            shelf.reach()
        except ReelError:
            continue  # its drive is not there: it is taken away once it is
        rolling = shelf.path(noted.name)
        count += rolling.exists()
        shelf.discard(Reserved(rolling=rolling, final=rolling, number=0))
        noted.delete()
    return count
