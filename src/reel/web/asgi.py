"""The ASGI application: Django, and the WebSocket of each page."""

import os
import warnings
from typing import Any

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "reel.web.settings")
# static files are small and read at once
warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous iterators")
_django = get_asgi_application()

from reel.web.roll.socket import live  # noqa: E402 - it needs the settings, which stand only now


async def application(scope: dict[str, Any], receive: Any, send: Any) -> None:
    """Hand a page's WebSocket to what serves it, and all else to Django."""
    if scope["type"] != "websocket":
        await _django(scope, receive, send)
    elif scope["path"] == "/live/":
        await live(scope, receive, send)
    else:
        await receive()
        await send({"type": "websocket.close", "code": 1008})
