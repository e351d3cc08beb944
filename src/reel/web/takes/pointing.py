"""Files that are not where they were: noticed, and found again by their content wherever somebody points."""

from collections.abc import Iterable
from pathlib import Path

from django.db import transaction

from reel.core.errors import BadValueError, ReelError
from reel.core.offload import Folder, StoredFile, fingerprint
from reel.web.takes.models import Part, Take, TakeState
from reel.web.takes.proving import kept_on, path_of
from reel.web.takes.summing import sum_up

# A folder that holds more files than this is not searched: point nearer.
MAX_SEARCHED = 5000


def look_for_missing() -> int:
    """Note which takes' files are not where they were; returns how many are so now.

    A shelf that can't be reached says nothing of its takes, nor does a file that can't be looked at: its drive may be
    plugged in again.
    """
    reached: dict[str, bool] = {}
    gone, back = list[int](), list[int]()
    takes = Take.objects.kept().exclude(state=TakeState.ROLLING).filter(on_device="")
    fields = ("folder", "shelf_key", "on_device", "binned_at", "is_missing", "state")
    for take in takes.only(*fields).prefetch_related("parts").iterator(chunk_size=500):
        shelf = kept_on(take)
        if str(shelf.root) not in reached:
            reached[str(shelf.root)] = _is_there(take)
        if not reached[str(shelf.root)]:
            continue
        is_missing = _is_missing(take)
        if is_missing is not None and is_missing != take.is_missing:
            (gone if is_missing else back).append(take.pk)
    # what was renamed or moved meanwhile is where it is now
    gone = [take.pk for take in Take.objects.kept().with_parts().filter(pk__in=gone) if _is_missing(take)]
    Take.objects.filter(pk__in=gone).update(is_missing=True)
    Take.objects.filter(pk__in=back).update(is_missing=False)
    return Take.objects.kept().filter(is_missing__in=[True]).count()


def where_it_is(take: Take) -> str:
    """Return why a take's files can't be had, in a sentence; "" where they can."""
    if take.state == TakeState.ROLLING or take.on_device:
        return ""
    try:
        kept_on(take).reach()
    except ReelError as error:
        return f"{error} The take stays; plug the drive in again."
    try:
        missing = [path_of(part).name for part in take.all_parts if not path_of(part).exists()]
    except OSError as error:
        return f"Its files can't be looked at ({error.strerror})."
    if len(missing) == 1:
        return f"{missing[0]} is not where it was."
    return f"{', '.join(missing)} are not where they were." if missing else ""


def point_to(take: Take, typed: str) -> Path:
    """Have a take's files be those with the same content in a folder, or the one file; returns the folder.

    Raises BadValueError where one is not found there, MediaError.
    """
    path = Path(typed.strip()).expanduser()
    if not typed.strip() or "\x00" in typed or len(typed) > 900 or not path.is_absolute():
        raise BadValueError("Folder", typed[:80], "it is the whole path of a folder or a file, from / on")
    root = path.parent if path.is_file() else path
    there = [one for one in Folder(root).files() if "/" not in one.name and (root == path or one.name == path.name)]
    if len(there) > MAX_SEARCHED:
        raise BadValueError("Folder", str(root)[-80:], f"it holds more than {MAX_SEARCHED} files; point to the file")
    found = {part.pk: _same(part, root, there) for part in take.all_parts}
    with transaction.atomic():
        for pk, name in found.items():
            Part.objects.filter(pk=pk).update(file_name=name, original_name="")
        Take.objects.filter(pk=take.pk).update(folder=str(root), shelf_key="", is_missing=False)
        sum_up(take.pk)
    return root


def _same(part: Part, root: Path, there: Iterable[StoredFile]) -> str:
    """Return the name of the file in a folder that has the content of a part; raises BadValueError."""
    if not part.fingerprint:
        raise BadValueError("File", part.file_name, "its content was never noted, so that it can't be known again")
    for one in there:
        if one.size_bytes == part.size_bytes and fingerprint(Folder(root), one.name) == part.fingerprint:
            return one.name
    raise BadValueError("File", part.file_name, f"no file in {root} has its content")


def _is_missing(take: Take) -> bool | None:
    """Return whether some file of a take is not where it was; None where that can't be told."""
    try:
        return any(not path_of(part).exists() for part in take.all_parts)
    except OSError:
        return None


def _is_there(take: Take) -> bool:
    try:
        kept_on(take).reach()
    except ReelError:
        return False
    return True
