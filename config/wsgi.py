"""Entry point for the server."""

import gc
import os

from django.conf import settings
from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
application = get_wsgi_application()
if settings.SECRET_KEY == settings.KNOWN_SECRET:
    raise SystemExit("Lull does not start with a secret that all know: set LULL_SECRET_KEY to a long random text.")

# What is loaded by now stays for good: not to be looked through again at every collection.
gc.collect()
gc.freeze()
gc.set_threshold(20_000, 20, 20)
