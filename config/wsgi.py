"""Entry point for the server."""

import gc
import os
import signal
import sys
import threading

from django.conf import settings
from django.core.wsgi import get_wsgi_application
from django.urls import resolve

from studio import front

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
application = get_wsgi_application()
if settings.SECRET_KEY == settings.KNOWN_SECRET:
    raise SystemExit("Lull does not start with a secret that all know: set LULL_SECRET_KEY to a long random text.")
if settings.PRODUCTION and set(settings.ALLOWED_HOSTS) <= {"", "127.0.0.1", "localhost", "[::1]"}:
    raise SystemExit("Lull does not start without the name that it is served under: set LULL_HOSTS.")

# Whatever the first request would load, and make others wait for: all addresses, with all they may be asked.
resolve("/api/me")

# What is loaded by now stays for good: not to be looked through again at every collection.
gc.collect()
gc.freeze()
gc.set_threshold(20_000, 20, 20)

# Bodies of strangers are not read.
front.stand()

if threading.current_thread() is threading.main_thread():
    # Asked to end, it ends what it has beside it as well, and leaves nothing behind.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
