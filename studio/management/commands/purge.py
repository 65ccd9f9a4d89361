"""`manage.py purge`: what was deleted more than thirty days ago goes for good, and sessions that have ended."""

from datetime import timedelta
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand
from django.utils import timezone

from studio.models import Take

KEPT = timedelta(days=30)


class Command(BaseCommand):
    """Run at every start of the launcher; may be run at any time."""

    help = "Remove what was deleted more than thirty days ago."

    def handle(self, *args: Any, **options: Any) -> None:
        """Remove and tell."""
        _, gone = Take.objects.filter(deleted_at__lt=timezone.now() - KEPT).delete()
        call_command("clearsessions")
        if takes := gone.get("studio.Take", 0):
            self.stdout.write(f"{takes} takes that were deleted more than thirty days ago are gone.")
