"""The page of a device's own storage: its files, the link, and what is over."""

from dataclasses import dataclass

from reel.core.errors import ReelError
from reel.core.line import DeviceKind
from reel.core.offload import StoredFile
from reel.standins.storage import DeviceStorage
from reel.web.takes.bringing import storage_of
from reel.web.takes.files import Incoming, IncomingSource, IncomingState
from reel.web.takes.proving import shelf

# The drawing: how thick the strand is on the device and on the shelf, and how thin the link.
THICK, THIN = 30, 12


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceRow:
    """A file of a device, and how far it has come."""

    file: StoredFile
    incoming: Incoming | None

    @property
    def short_name(self) -> str:
        return self.file.name.rsplit("/", 1)[-1]


def device_page(kind: str) -> dict[str, object]:
    """Return what the page of a device shows; `problem` where its storage can't be reached."""
    storage = storage_of(IncomingSource.DEVICE, kind)
    known = {}
    for one in Incoming.objects.filter(source=IncomingSource.DEVICE, place=kind).select_related("take").order_by("pk"):
        known[one.name, one.size_bytes] = one
    problem, files, free_bytes = "", list[StoredFile](), 0
    try:
        files, free_bytes = list(storage.files()), storage.free_bytes()
    except ReelError as error:
        problem = str(error)
    rows = [DeviceRow(file=one, incoming=known.get((one.name, one.size_bytes))) for one in files]
    asked = [row.incoming for row in rows if row.incoming] if files else list(known.values())
    over = [one for one in asked if one.is_over]
    open_ones = [one for one in asked if one.is_open or one.state == IncomingState.BROKEN]
    total = sum(one.size_bytes for one in asked)
    here = sum(one.size_bytes if one.is_over else one.copied_bytes for one in asked)
    return {
        "kind": kind,
        "label": DeviceKind(kind).label,
        "rows": rows,
        "lost_sight": [] if files else [one for one in known.values() if not one.is_over],
        "problem": problem,
        "free_bytes": free_bytes,
        "files_bytes": sum(one.size_bytes for one in files),
        "is_up": not problem,
        "is_simulated": isinstance(storage, DeviceStorage),
        "asked": len(asked),
        "over": len(over),
        "over_bytes": sum(one.size_bytes for one in over),
        "freed_bytes": sum(row.file.size_bytes for row in rows if row.incoming and row.incoming.is_over),
        "all_over": bool(asked) and len(over) == len(asked),
        "working": bool(open_ones),
        "speed": next((one.bytes_per_s for one in open_ones if one.bytes_per_s), None),
        "left_s": _left_s(open_ones),
        "part": here / total if total else 0.0,
        "shelf_wide": round(300 * here / total) if total else 0,
        "shelf": shelf().root,
    }


def _left_s(open_ones: list[Incoming]) -> float | None:
    speed = next((one.bytes_per_s for one in open_ones if one.bytes_per_s), None)
    left = sum(one.size_bytes - one.copied_bytes for one in open_ones)
    return left / speed if speed else None
