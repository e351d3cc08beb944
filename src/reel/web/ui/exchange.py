"""Files that a page gives and takes: a rig, a recipe."""

from collections.abc import Callable
from typing import Protocol, TypeVar

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.utils.text import slugify

from reel.core.errors import ReelError

# More than any file has that is imported.
MAX_FILE_BYTES = 1_000_000


class Named(Protocol):
    """What has a name."""

    name: str


Made = TypeVar("Made", bound=Named)


def give_file(name: str, kind: str, data: bytes) -> HttpResponse:
    """Give JSON to be kept as a file, `NAME.KIND.json`."""
    headers = {"Content-Disposition": f'attachment; filename="{slugify(name) or kind}.{kind}.json"'}
    return HttpResponse(data, content_type="application/json", headers=headers)


def take_file(request: HttpRequest, make: Callable[[bytes], Made]) -> Made | None:
    """Make something of the file that was sent and say so; None, with the reason said, where that can't be."""
    sent = request.FILES.get("file")
    if sent is None:
        messages.error(request, "No file was chosen; nothing was imported.")
        return None
    if (sent.size or 0) > MAX_FILE_BYTES:
        messages.error(
            request, f"The file has {sent.size} bytes; none that is imported here has over {MAX_FILE_BYTES}."
        )
        return None
    try:
        made = make(sent.read(MAX_FILE_BYTES))
    except ReelError as error:
        messages.error(request, str(error))
        return None
    messages.success(request, f"{made.name} is imported.")
    return made
