"""The one view of all stages, and undoing."""

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST
from django_htmx.http import HttpResponseClientRedirect

from reel.core.errors import BadValueError
from reel.recorder.messages import RefusedError
from reel.web.live.recorder import glance, show_at_once
from reel.web.rigs import changing
from reel.web.rigs.models import Rig
from reel.web.stages import arrival, device, edits, file, frame, path, roll, sound
from reel.web.stages.page import RigPage, StagePage, answer, input_place, line_context
from reel.web.ui.forms import with_touched

_STAGES: dict[str, StagePage] = {
    room.STAGE.key: room.STAGE for room in (device, path, arrival, frame, sound, file, roll)
}


@require_http_methods(["GET", "POST"])
def stage(request: HttpRequest, rig_id: int, stage: str = "device") -> HttpResponse:
    """Show one stage of a rig; all but Path and Sound take a form, whose changes are stored at once."""
    asked = _stage(stage)
    page = RigPage.of(request, get_object_or_404(Rig, pk=rig_id))
    if request.method == "POST" and asked.form is not None:
        return _store(request, page, asked)
    return render(request, f"stages/{stage}.html", asked.shown(page))


def _store(request: HttpRequest, page: RigPage, asked: StagePage) -> HttpResponse:
    """Store a stage's form; one that is refused stays as it was typed."""
    assert asked.form is not None and asked.store is not None
    form, status = asked.form(page, with_touched(asked.form(page, None), request.POST)), 422
    if form.is_valid():
        try:
            asked.store(page, form.value)
        except (BadValueError, RefusedError) as error:  # it does not go with another stage, or the rig rolls
            form.add_error(None, str(error))
            status = 409 if isinstance(error, RefusedError) else 422
        else:
            query = f"?{request.GET.urlencode()}" if request.GET else ""
            return answer(request, page.rig, asked, {"stored": form}, query=query)
    return answer(request, page.rig, asked, {"form": form}, status=status)


@require_GET
def line(request: HttpRequest, rig_id: int, stage: str) -> HttpResponse:
    """Return the line's drawing alone, for when its live facts change."""
    rig = get_object_or_404(Rig, pk=rig_id)
    return render(request, "stages/_line.html", line_context(RigPage.of(request, rig), _stage(stage).key))


@require_POST
def undo(request: HttpRequest, rig_id: int, stage: str) -> HttpResponse:
    """Undo the last change of a rig, or redo it, from the page of any stage, which is made anew."""
    rig, asked = get_object_or_404(Rig, pk=rig_id), _stage(stage)
    is_again = bool(request.POST.get("again"))
    words = (changing.redo if is_again else changing.undo)(rig, glance(request))
    show_at_once(request, rig.opening)
    messages.success(request, f"{'Redone' if is_again else 'Undone'}: {words}.")
    page = RigPage.of(request, rig)
    if not getattr(request, "htmx", False) or page.asked_place >= len(rig.plan.inputs):
        address = reverse("stages:stage", args=[rig.pk, stage])
        return HttpResponseClientRedirect(address) if getattr(request, "htmx", False) else redirect(address)
    return render(request, f"stages/{stage}.html", asked.shown(page))


@require_POST
def mend(request: HttpRequest, rig_id: int, stage: str) -> HttpResponse:
    """Do what a remedy's button says."""
    rig = get_object_or_404(Rig, pk=rig_id)
    edits.apply_remedy(rig, input_place(request, rig), request.POST.get("remedy", ""), glance(request))
    return answer(request, rig, _stage(stage))


def _stage(key: str) -> StagePage:
    """Return a stage by its key; raises Http404 for one that there is not."""
    if key not in _STAGES:
        raise Http404
    return _STAGES[key]
