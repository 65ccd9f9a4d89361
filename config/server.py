"""The application as a server takes it: that the process lives is told before anything else is there."""

from importlib import import_module

from studio import pulse

# Before all that takes long to load.
pulse.beat()
application = import_module("config.wsgi").application
pulse.ready()
