"""Calling jobs off."""

from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import get_object_or_404
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_POST

from reel.web.jobs import actions
from reel.web.jobs.models import Job


@require_POST
def call_off(request: HttpRequest, job_id: int) -> HttpResponse:
    """Call a job off and go back to the page that showed it; htmx stays there, and sees it by the job's state."""
    job = get_object_or_404(Job, pk=job_id)
    actions.call_off(job)
    if getattr(request, "htmx", False):
        return HttpResponse(status=204)
    return HttpResponseRedirect(request.POST.get("next", "/") if _is_ours(request) else "/")


def _is_ours(request: HttpRequest) -> bool:
    return url_has_allowed_host_and_scheme(request.POST.get("next", ""), allowed_hosts={request.get_host()})
