"""What goes for good by itself: what was deleted long ago, what has expired, what nobody came to fetch."""

from datetime import timedelta

from django.core.management import call_command
from django.db.models import Q
from django.utils import timezone

from studio.models import Invitation, Job, Take
from studio.services import bulk, spool

KEPT = timedelta(days=30)
JOBS_KEPT = timedelta(days=1)


def purge() -> int:
    """Remove it; how many takes went."""
    now = timezone.now()
    _, gone = Take.objects.filter(deleted_at__lt=now - KEPT).delete()
    Invitation.objects.filter(Q(until__lt=now - KEPT) | Q(used_at__lt=now - KEPT)).delete()
    Job.objects.filter(made_at__lt=now - JOBS_KEPT).delete()
    spool.sweep({str(pk) for pk in Job.objects.values_list("pk", flat=True)})
    bulk.sweep()
    call_command("clearsessions")
    return gone.get("studio.Take", 0)
