"""What goes for good by itself: what was deleted long ago, what has expired, what nobody came to fetch.

A clock that has jumped ahead would take what is kept still: between two nights no more than a few days are believed.
"""

from datetime import datetime, timedelta

from django.core.management import call_command
from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from studio.models import Invitation, Job, Night, Take
from studio.services import bulk, spool

KEPT = timedelta(days=30)
JOBS_KEPT = timedelta(days=1)
MOST_BETWEEN = timedelta(days=3)


def purge() -> int:
    """Remove it; how many takes went."""
    now = _believed()
    _, gone = Take.objects.filter(deleted_at__lt=now - KEPT).delete()
    Invitation.objects.filter(Q(until__lt=now - KEPT) | Q(used_at__lt=now - KEPT)).delete()
    # What waits still or is being done is done, however long that takes; of what was to arrive, no more will come.
    old = Job.objects.filter(made_at__lt=now - JOBS_KEPT)
    old.exclude(state__in=(Job.State.WAITING, Job.State.WORKING)).delete()
    spool.sweep({str(pk) for pk in Job.objects.values_list("pk", flat=True)})
    bulk.sweep()
    call_command("clearsessions")
    return gone.get("studio.Take", 0)


def _believed() -> datetime:
    """The time, by the clock, and by the night before."""
    now = timezone.now()
    with transaction.atomic():
        night = Night.objects.select_for_update().first() or Night(at=now)
        night.at = min(now, night.at + MOST_BETWEEN)
        night.save()
    return night.at
