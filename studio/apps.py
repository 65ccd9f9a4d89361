"""Registration with Django."""

from pathlib import Path

from django.apps import AppConfig
from django.conf import settings


class StudioConfig(AppConfig):
    """The one application."""

    name = "studio"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Files that come find a place."""
        for folder in (settings.SPOOL, settings.FILES):
            Path(folder).mkdir(mode=0o700, parents=True, exist_ok=True)
