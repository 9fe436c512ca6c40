"""The studio as an ASGI application."""

import os
import warnings

from django.core.asgi import get_asgi_application

# WhiteNoise hands its files over in one piece; that they are not streamed is as it should be for files this small.
warnings.filterwarnings("ignore", "StreamingHttpResponse must consume synchronous iterators")
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
application = get_asgi_application()
if parent := os.environ.get("ARMUTO_WITH_PARENT"):
    from studio.platform.workers import end_with

    end_with(int(parent))
