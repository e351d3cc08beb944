"""Calling jobs off."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from reel.web.jobs import actions
from reel.web.jobs.models import Job


@require_POST
def call_off(request: HttpRequest, job_id: int) -> HttpResponse:
    """Call a job off and go back to its take."""
    job = get_object_or_404(Job, pk=job_id)
    actions.call_off(job)
    return redirect("takes:take", take_id=job.take_id)
