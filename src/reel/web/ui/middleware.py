"""Who may ask, and refusals: an error that Reel raised on purpose becomes a page or a message with its sentence."""

from django.core.exceptions import DisallowedHost
from django.http import HttpRequest, HttpResponse
from django.utils.deprecation import MiddlewareMixin

from reel.core.errors import ReelError
from reel.recorder.messages import UnreachableError
from reel.web.ui.refusal import refusal


class OwnPages(MiddlewareMixin):
    """Answers Reel's own pages, whatever else a browser has open. It stands before all others, files included.

    Where a browser says which site a request comes from (Fetch Metadata), one from elsewhere is refused, but for
    opening a page by a link. Where it says nothing, as programs do, only a foreign Origin is. Nothing may be embedded
    elsewhere.
    """

    def process_request(self, request: HttpRequest) -> HttpResponse | None:
        """Refuse a forged host, and what comes from another site."""
        try:
            host = request.get_host()
        except DisallowedHost:
            return HttpResponse("Reel answers to its own address only.", content_type="text/plain", status=400)
        site, origin = request.headers.get("Sec-Fetch-Site"), request.headers.get("Origin")
        is_link = request.method == "GET" and request.headers.get("Sec-Fetch-Mode") == "navigate"
        foreign = site not in (None, "same-origin", "none") and not is_link
        if foreign or (origin is not None and origin != f"{request.scheme}://{host}"):
            return HttpResponse("Only Reel's own pages may ask for this.", content_type="text/plain", status=403)
        return None

    def process_response(self, request: HttpRequest, response: HttpResponse) -> HttpResponse:
        """Keep other sites from showing what is ours."""
        response["Cross-Origin-Resource-Policy"] = "same-origin"
        return response


class Refusals(MiddlewareMixin):
    """Turns a ReelError that a view lets through into a 409, or a 503 when the recorder is away."""

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        if not isinstance(error, ReelError):
            return None
        return refusal(request, "Not done", str(error), 503 if isinstance(error, UnreachableError) else 409)
