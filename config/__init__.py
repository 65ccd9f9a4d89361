"""Django's settings and entry points."""
