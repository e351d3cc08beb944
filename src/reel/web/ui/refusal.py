"""What is shown instead of what was asked for."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render


def refusal(request: HttpRequest, title: str, text: str, status: int) -> HttpResponse:
    """Return a page with one sentence; htmx gets the sentence alone, for the notice line."""
    if not getattr(request, "htmx", False):
        return render(request, "ui/refused.html", {"title": title, "text": text}, status=status)
    response = render(request, "ui/_notice.html", {"text": text, "refused": True}, status=status)
    response["HX-Retarget"], response["HX-Reswap"], response["HX-Reselect"] = "#notice", "innerHTML", ".notice"
    return response
