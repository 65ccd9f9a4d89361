"""Registration with Django."""

from django.apps import AppConfig


class StudioConfig(AppConfig):
    """The one application."""

    name = "studio"
    default_auto_field = "django.db.models.BigAutoField"
