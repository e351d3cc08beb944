"""Pages by which files are brought in: from the browser, from a folder, off a device."""

import datetime
from pathlib import Path

from django.conf import settings
from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from reel.core.errors import BadValueError, ReelError
from reel.core.line import DeviceKind
from reel.core.media import MediaError
from reel.standins.storage import DeviceStorage, Link
from reel.web.takes import bringing
from reel.web.takes.files import Incoming, IncomingSource, IncomingState
from reel.web.takes.offloading import device_page
from reel.web.takes.proving import shelf
from reel.web.takes.watching import WatchedFolder, watch
from reel.web.ui.typed import number_of

# The latest that are shown; a piece of a file that a browser sends has up to so many bytes.
SHOWN, MAX_PIECE_BYTES = 40, 16 << 20


@require_GET
def index(request: HttpRequest) -> HttpResponse:
    """Show how files are brought in, and the latest that were."""
    return _page(request)


def _page(request: HttpRequest, **more: object) -> HttpResponse:
    rows = list(Incoming.objects.exclude(source=IncomingSource.DEVICE).select_related("take")[:SHOWN])
    context = {
        "rows": rows,
        "working": any(row.is_open or row.state == IncomingState.BROKEN for row in rows),
        "shelf_root": shelf().root,
        "watched": WatchedFolder.objects.all(),
        "room": "takes",
        **more,
    }
    name = "takes/_bringing.html" if getattr(request, "htmx", False) else "takes/bring.html"
    return render(request, name, context, status=422 if more.get("problem") else 200)


@require_POST
def folder(request: HttpRequest) -> HttpResponse:
    """Bring in the files of a folder, or one, by their path."""
    typed = request.POST.get("path", "")
    try:
        root, files, others = bringing.files_of_folder(typed)
        if not files:
            raise MediaError(root, "holds no media file")
    except ReelError as error:
        return _page(request, problem=str(error), typed=typed[:1000])
    bringing.ask_for_files(IncomingSource.FOLDER, str(root), files)
    left = f" {others} other file{'s' if others != 1 else ''} in it stay where they are." if others else ""
    messages.success(request, f"{len(files)} file{'s' if len(files) != 1 else ''} asked for.{left}")
    return redirect("takes:bring")


@require_POST
def watched(request: HttpRequest) -> HttpResponse:
    """Watch a folder from now on, or not any more."""
    typed = request.POST.get("path", "")
    if request.POST.get("stop"):
        WatchedFolder.objects.filter(pk=number_of(request.POST["stop"]) or 0).delete()
        return redirect("takes:bring")
    try:
        found = watch(typed)
    except ReelError as error:
        return _page(request, problem=str(error), typed=typed[:1000])
    messages.success(request, f"{found.folder} is watched: what is laid there from now on is brought in.")
    return redirect("takes:bring")


@require_POST
def begin(request: HttpRequest) -> HttpResponse:
    """Begin or go on with a file that the browser sends: says how much of it is here, and where the rest goes."""
    name, size = request.POST.get("name", "")[:900], number_of(request.POST.get("size", ""))
    modified = number_of(request.POST.get("modified", "")) or 0
    if not name or size is None or size == 0:
        raise BadValueError("File", name[-60:] or "none", "it has a name and at least one byte")
    modified_at = datetime.datetime.fromtimestamp(min(modified, 4_102_444_800_000) / 1000, datetime.UTC)
    same = Incoming.objects.filter(
        source=IncomingSource.UPLOAD, name=name, size_bytes=size, modified_at=modified_at,
        state__in=(IncomingState.WAITING, IncomingState.COPYING),
    )  # fmt: skip
    found = next((one for one in same if one.rolling_name and not one.job), None)
    if found is None:
        found = Incoming.objects.create(
            source=IncomingSource.UPLOAD, name=name, size_bytes=size, modified_at=modified_at
        )
        try:
            bringing.reserve(found)
        except ReelError:
            found.delete()
            raise
    return JsonResponse({"at": _here(found), "address": reverse("takes:bring-piece", args=[found.pk])})


def _here(found: Incoming) -> int:
    path = shelf().path(found.rolling_name)
    return path.stat().st_size if path.exists() else 0


@require_POST
def piece(request: HttpRequest, incoming_id: int) -> HttpResponse:
    """Take a piece of a file from `?at=` on, and say how much is here; the last one has it made a take."""
    found = get_object_or_404(Incoming, pk=incoming_id, source=IncomingSource.UPLOAD)
    if not found.rolling_name or found.job is not None:
        raise Http404
    at, here = number_of(request.GET.get("at", "")), _here(found)
    if at != here:
        return JsonResponse({"at": here}, status=409)
    data = request.read(min(MAX_PIECE_BYTES, found.size_bytes - here))
    try:
        with shelf().path(found.rolling_name).open("ab") as file:
            if file.tell() != here:  # another tab sends the same
                return JsonResponse({"at": file.tell()}, status=409)
            file.write(data)
    except OSError as error:
        raise MediaError(Path(found.short_name), f"can't be written ({error.strerror})") from error
    here += len(data)
    Incoming.objects.filter(pk=found.pk).update(copied_bytes=here, state=IncomingState.COPYING)
    if here >= found.size_bytes:
        found.copied_bytes = here
        bringing.go_on(found)
    return JsonResponse({"at": here})


@require_POST
def go_on(request: HttpRequest, incoming_id: int) -> HttpResponse:
    """Go on with a file, or try it once more."""
    found = get_object_or_404(Incoming, pk=incoming_id)
    bringing.go_on(found)
    return redirect(_page_of(found))


@require_POST
def give_up(request: HttpRequest, incoming_id: int) -> HttpResponse:
    """Forget a file that is not over."""
    found = get_object_or_404(Incoming, pk=incoming_id)
    address = _page_of(found)
    bringing.give_up(found)
    return redirect(address)


def _page_of(found: Incoming) -> str:
    if found.source == IncomingSource.DEVICE:
        return reverse("takes:device", args=[found.place])
    return reverse("takes:bring")


@require_GET
def devices(request: HttpRequest) -> HttpResponse:
    """Go to the first device that has a storage."""
    kinds = _kinds()
    if not kinds:
        return render(request, "takes/no_device.html", {"room": "takes"})
    return redirect("takes:device", kind=kinds[0])


def _kinds() -> list[str]:
    """Return the devices whose storage is there."""
    known = [kind.value for kind in DeviceKind]
    root = settings.HOME.devices
    return sorted(one.name for one in root.iterdir() if one.is_dir() and one.name in known) if root.is_dir() else []


@require_http_methods(["GET", "POST"])
def device(request: HttpRequest, kind: str) -> HttpResponse:
    """Show a device's storage, and bring over or delete there what is chosen."""
    if kind not in _kinds():
        raise Http404
    if request.method == "POST":
        names = request.POST.getlist("name")[:1000]
        if not names:
            raise BadValueError("Files", "none", "choose at least one")
        if request.POST.get("do") == "delete":
            count = bringing.delete_there(kind, names)
            messages.success(request, f"{count} file{'s' if count != 1 else ''} deleted there.")
        else:
            there = {one.name: one for one in bringing.storage_of(IncomingSource.DEVICE, kind).files()}
            bringing.ask_for_files(IncomingSource.DEVICE, kind, [there[name] for name in names if name in there])
        return redirect("takes:device", kind=kind)
    context = device_page(kind) | {"kinds": [(one, DeviceKind(one).label) for one in _kinds()], "room": "takes"}
    template = "takes/_device.html" if getattr(request, "htmx", False) else "takes/device.html"
    return render(request, template, context)


@require_POST
def link(request: HttpRequest, kind: str) -> HttpResponse:
    """Have the simulated link of a device break, or be there again."""
    if kind not in _kinds():
        raise Http404
    storage = bringing.storage_of(IncomingSource.DEVICE, kind)
    if isinstance(storage, DeviceStorage):
        storage.set_link(Link(bytes_per_s=storage.link.bytes_per_s, is_up=request.POST.get("up") == "1"))
        if request.POST.get("up") == "1":
            bringing.take_up_broken()
    return redirect("takes:device", kind=kind)
