"""Entry point for gunicorn."""

import gc
import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
application = get_wsgi_application()

# What is loaded by now stays for good: not to be looked through again at every collection.
gc.collect()
gc.freeze()
gc.set_threshold(20_000, 20, 20)
