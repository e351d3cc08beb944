"""Holding a file that was brought in against what a rig asks of its files."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods

from reel.web.rigs.models import Rig
from reel.web.takes.asking import hold
from reel.web.takes.models import Take
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
