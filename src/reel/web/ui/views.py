"""Pages for what went wrong."""

from django.http import HttpRequest, HttpResponse

from reel.web.ui.refusal import refusal


def forbidden(request: HttpRequest, reason: str = "") -> HttpResponse:
    """Refuse a form without the right token."""
    text = "The form's token is missing or old. Load the page again and send it once more; nothing was changed."
    return refusal(request, "Not done", text, 403)


def bad_request(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Refuse what no page of ours sends: a body that is too large, too many fields, a forged host."""
    text = "This is not something that a page of Reel sends, or it is larger than 1 MB. Nothing was changed."
    return HttpResponse(text, content_type="text/plain", status=400)


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Say that there is no such page."""
    text = "Nothing is at this address. It may have been deleted."
    return refusal(request, "Not here", text, 404)


def failed(request: HttpRequest) -> HttpResponse:
    """Say that Reel failed; the log says more."""
    text = "Reel failed at this. The web log in the home folder says more; a roll goes on meanwhile."
    request.has_failed = True  # type: ignore[attr-defined]  # its page asks nobody how things stand
    return refusal(request, "Reel failed", text, 500)
