"""The ASGI application."""

import os
import warnings

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "reel.web.settings")
# static files are small and read at once; everything that really streams is asynchronous
warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous iterators")
application = get_asgi_application()
