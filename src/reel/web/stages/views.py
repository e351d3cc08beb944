"""The one view of all stages."""

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET, require_http_methods

from reel.core.errors import BadValueError
from reel.web.live.recorder import glance
from reel.web.rigs.models import Rig
from reel.web.stages import arrival, device, file, frame, path, roll, sound
from reel.web.stages.page import RigPage, StagePage, input_place, line_context, to_stage
from reel.web.ui.forms import form_status

_STAGES: dict[str, StagePage] = {
    room.STAGE.key: room.STAGE for room in (device, path, arrival, frame, sound, file, roll)
}


@require_http_methods(["GET", "POST"])
def stage(request: HttpRequest, rig_id: int, stage: str = "device") -> HttpResponse:
    """Show one stage of a rig; all but Path and Sound take a form."""
    asked = _stage(stage)
    rig = get_object_or_404(Rig, pk=rig_id)
    form: Any = asked.form(request, rig, request.POST or None) if asked.form is not None else None
    if request.method == "POST" and form is not None and form.is_valid() and not getattr(form, "came", ()):
        assert asked.store is not None
        try:
            asked.store(rig, input_place(request, rig), form.value, glance(request))
        except BadValueError as error:  # it does not go with what is set on another page
            form.add_error(None, str(error))
        else:
            return to_stage(request, rig, stage)
    if asked is file.STAGE:
        return file.file_page(request, rig, form, status=form_status(form))
    page = RigPage.of(request, rig)
    context = line_context(page, stage) | asked.context(page) | {"form": form}
    return render(request, f"stages/{stage}.html", context, status=form_status(form))


@require_GET
def line(request: HttpRequest, rig_id: int, stage: str) -> HttpResponse:
    """Return the line's drawing alone, for when its live facts change."""
    rig = get_object_or_404(Rig, pk=rig_id)
    return render(request, "stages/_line.html", line_context(RigPage.of(request, rig), _stage(stage).key))


def _stage(key: str) -> StagePage:
    """Return a stage by its key; raises Http404 for one that there is not."""
    if key not in _STAGES:
        raise Http404
    return _STAGES[key]
