"""The studio as an ASGI application."""

import os
import threading
import warnings

from django.conf import settings
from django.core.asgi import get_asgi_application

from armuto.lazy import COMPILED, load
from studio.platform.body_limit import BodyLimit

# WhiteNoise hands its files over in one piece; that they are not streamed is as it should be for files this small.
warnings.filterwarnings("ignore", "StreamingHttpResponse must consume synchronous iterators")
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
django = get_asgi_application()
load(*COMPILED, "scipy.ndimage")  # before people wait for them
# What refining needs takes as long again; it comes while the first page is read.
threading.Thread(target=load, args=("scipy.signal",), daemon=True).start()
from studio.live.consumer import WithLive  # noqa: E402  (once Django is set up)

application = WithLive(BodyLimit(django, settings.LARGEST_REQUEST))
if parent := os.environ.get("ARMUTO_WITH_PARENT"):
    from studio.platform import workers

    workers.enlist()  # what the server is at is given back, too, when it is killed
    workers.end_with(int(parent))
