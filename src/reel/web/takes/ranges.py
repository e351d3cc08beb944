"""Files over HTTP with byte ranges (RFC 9110, section 14), as a player needs them to seek."""

import asyncio
import re
from collections.abc import AsyncIterator
from email.utils import formatdate
from pathlib import Path

from django.http import HttpRequest, HttpResponse, HttpResponseBase, StreamingHttpResponse

CHUNK_BYTES = 256 * 1024
_RANGE = re.compile(r"bytes=(\d{0,18})-(\d{0,18})\Z")


def file_response(request: HttpRequest, path: Path, content_type: str) -> HttpResponseBase:
    """Return a file whole (200) or the one range that is asked for (206); 416 for a range outside it."""
    size = path.stat().st_size
    headers = {"Accept-Ranges": "bytes", "Last-Modified": formatdate(path.stat().st_mtime, usegmt=True)}
    wanted = _RANGE.match(request.headers.get("Range", ""))
    start, stop, status = 0, size, 200
    if wanted and (wanted[1] or wanted[2]):
        start, stop = _bounds(wanted[1], wanted[2], size)
        if start >= stop:
            return HttpResponse(status=416, headers={"Content-Range": f"bytes */{size}"})
        headers["Content-Range"] = f"bytes {start}-{stop - 1}/{size}"
        status = 206
    headers["Content-Length"] = str(stop - start)
    return StreamingHttpResponse(_read(path, start, stop), status=status, content_type=content_type, headers=headers)


def _bounds(first: str, last: str, size: int) -> tuple[int, int]:
    if not first:
        return max(0, size - int(last)), size
    return int(first), min(size, int(last) + 1) if last else size


async def _read(path: Path, start: int, stop: int) -> AsyncIterator[bytes]:
    with path.open("rb") as file:
        file.seek(start)
        while start < stop:
            chunk = await asyncio.to_thread(file.read, min(CHUNK_BYTES, stop - start))
            if not chunk:
                return
            start += len(chunk)
            yield chunk
