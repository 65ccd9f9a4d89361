"""`manage.py digests`: of each take the SHA-256 of its recording and the steps of its history, as JSON."""

import hashlib
import json

from django.core.management.base import BaseCommand
from django.db import connection
from django.db.models import Count

from studio.models import Take


class Command(BaseCommand):
    """Reads one recording at a time: a library may be larger than memory."""

    help = "Print what a backup is checked by."

    def handle(self, *args: object, **options: object) -> None:
        """Print."""
        if "studio_take" not in connection.introspection.table_names():
            self.stdout.write("{}")
            return
        takes = Take.objects.order_by("pk").annotate(count=Count("steps")).values_list("pk", "count")
        told = {
            str(pk): {
                "sha256": hashlib.sha256(bytes(Take.objects.values_list("source", flat=True).get(pk=pk))).hexdigest(),
                "steps": count,
            }
            for pk, count in takes
        }
        self.stdout.write(json.dumps(told))
