"""`manage.py purge`: what was deleted more than thirty days ago goes for good, and what has expired."""

from django.core.management.base import BaseCommand

from studio.services import purging


class Command(BaseCommand):
    """Run at every start of the launcher, and by a worker every night; may be run at any time."""

    help = "Remove what was deleted more than thirty days ago."

    def handle(self, *args: object, **options: object) -> None:
        """Remove and tell."""
        if takes := purging.purge():
            self.stdout.write(f"{takes} takes that were deleted more than thirty days ago are gone.")
