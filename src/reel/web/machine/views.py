"""The page of shelves, and which hardware encoders work here."""

from functools import cache

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from reel.core.errors import ReelError
from reel.core.media import HardwareEncoder, try_hardware
from reel.web.jobs.models import Job
from reel.web.machine import shelves
from reel.web.machine.models import ShelfPlace


@require_http_methods(["GET", "POST"])
def index(request: HttpRequest) -> HttpResponse:
    """List the shelves, and add one; what is refused stays as it was typed."""
    typed = {name: request.POST.get(name, "") for name in ("name", "folder")}
    problem = ""
    if request.method == "POST":
        try:
            made = shelves.add(typed["name"], typed["folder"])
        except ReelError as error:
            problem = str(error)
        else:
            messages.success(request, f"{made.name} is a shelf now; its drive is being measured.")
            return redirect("machine:index")
    home = shelves.home_place()
    rows = [_row(place, home) for place in shelves.places()]
    context = {
        "room": "shelves",
        "rows": rows,
        "measuring": any(row["job"] for row in rows),
        "typed": typed,
        "problem": problem,
    }
    if getattr(request, "htmx", False):
        return render(request, "machine/_shelves.html", context)
    return render(request, "machine/index.html", context, status=422 if problem else 200)


def _row(place: ShelfPlace, home: ShelfPlace) -> dict[str, object]:
    job = Job.objects.filter(kind=shelves.DRIVE, subject=place.pk).first()
    return {
        "place": place,
        "free": shelves.free_bytes(place),
        "is_home": place == home,
        "job": job if job is not None and job.is_open else None,
        "problem": job.problem if job is not None else "",
    }


@require_GET
def hardware(request: HttpRequest) -> HttpResponse:
    """Return which hardware encoders work here, each tried once while the web runs."""
    return render(request, "machine/_hardware.html", {"encoders": _hardware()})


@cache
def _hardware() -> tuple[HardwareEncoder, ...]:
    return try_hardware()


@require_POST
def measure(request: HttpRequest, place_id: int) -> HttpResponse:
    """Have a shelf's drive measured."""
    shelves.measure(get_object_or_404(ShelfPlace, pk=place_id))
    return redirect("machine:index")


@require_POST
def remove(request: HttpRequest, place_id: int) -> HttpResponse:
    """Take a shelf off the list."""
    place = get_object_or_404(ShelfPlace, pk=place_id)
    shelves.remove(place)
    messages.success(request, f"{place.name} is off the list; what lies in {place.folder} stays there.")
    return redirect("machine:index")
