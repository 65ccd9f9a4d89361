"""`manage.py digests`: of each take the SHA-256 of recording and sound, and the steps of its history, as JSON."""

import hashlib
import json
from uuid import UUID

from django.core.management.base import BaseCommand
from django.db import connection
from django.db.models import Count

from expression.errors import BadFile
from studio.models import Take, TakeSound
from studio.services import bulk


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
                **_sound(pk),
            }
            for pk, count in takes
        }
        self.stdout.write(json.dumps(told))


def _sound(take: UUID) -> dict[str, str]:
    kept = TakeSound.objects.filter(take=take).first()
    if kept is None:
        return {}
    try:
        return {"sound": hashlib.sha256(bulk.read(kept.file)).hexdigest()}
    except BadFile:
        return {"sound": "is not there"}
