"""What takes are held against and moved to: a rig's settings, another shelf."""

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods

from reel.web.machine.models import ShelfPlace
from reel.web.machine.shelves import home_place, places
from reel.web.rigs.models import Rig
from reel.web.takes.asking import hold
from reel.web.takes.choosing import chosen
from reel.web.takes.models import Take
from reel.web.takes.moving import ask_to_move
from reel.web.ui.typed import number_of

# The latest rigs are offered.
OFFERED = 50


@require_http_methods(["GET", "POST"])
def hold_against(request: HttpRequest, take_id: int) -> HttpResponse:
    """Offer the rigs whose file a take may be held against; hold it against the one that is chosen."""
    take = get_object_or_404(Take.objects.with_parts(), pk=take_id)
    if request.method == "POST":
        rig_id = number_of(request.POST.get("rig", ""))
        hold(take, get_object_or_404(Rig, pk=rig_id).plan if rig_id else None)
        return redirect(take)
    return render(request, "rigs/_hold.html", {"take": take, "rigs": Rig.objects.only("pk", "name")[:OFFERED]})


@require_http_methods(["GET", "POST"])
def shelves(request: HttpRequest) -> HttpResponse:
    """Offer the shelves that takes may be moved to; move the chosen takes to the one that is chosen."""
    if request.method == "GET":
        return render(request, "rigs/_shelves.html", {"places": places()})
    ids, place = chosen(request.POST), get_object_or_404(ShelfPlace, pk=number_of(request.POST.get("shelf", "")) or 0)
    folder = "" if place == home_place() else place.folder
    count = ask_to_move(ids, folder, "" if not folder else place.key)
    messages.success(request, f"{count} take{'' if count == 1 else 's'} on the way to {place.name}.")
    return redirect("takes:index")
