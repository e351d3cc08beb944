"""Refusals: an error that Reel raised on purpose becomes a page or a message with its sentence."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils.deprecation import MiddlewareMixin

from reel.core.errors import ReelError
from reel.recorder.messages import UnreachableError


class Refusals(MiddlewareMixin):
    """Turns a ReelError that a view lets through into a 409, or a 503 when the recorder is away."""

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """Give the refusal's page; htmx gets the sentence alone, for the notice line."""
        if not isinstance(error, ReelError):
            return None
        status = 503 if isinstance(error, UnreachableError) else 409
        if getattr(request, "htmx", False):
            response = render(request, "ui/_notice.html", {"text": str(error), "refused": True}, status=status)
            response["HX-Retarget"], response["HX-Reswap"] = "#notice", "innerHTML"
            return response
        return render(request, "ui/refused.html", {"title": "Not done", "text": str(error)}, status=status)
