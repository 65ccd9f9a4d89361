"""The steps of a history as rows: a take goes on from the revision that what is written was made of, or not at all."""

import json
from typing import Any
from uuid import UUID

from django.contrib.auth.models import AbstractBaseUser
from django.db import connection
from django.utils import timezone

from expression.history import Entry, History
from studio.models import Step

GO_ON = """
update studio_take set done = %(done)s, revision = revision + 1, changed_at = %(now)s
where id = %(take)s and owner_id = %(owner)s and deleted_at is null and revision = %(revision)s
"""
STEP = """
insert into studio_step (take_id, position, number, stroke, label, "on", gone, made_at)
select id, %(position)s, %(number)s, %(stroke)s::jsonb, %(label)s, %(on)s, %(gone)s, %(now)s from gone_on
on conflict (take_id, position) do update set
    number = excluded.number, stroke = excluded.stroke, label = excluded.label,
    "on" = excluded."on", gone = excluded.gone, made_at = excluded.made_at
"""
"""A take that has gone on has one more step, over the one that was undone there."""
UNDONE = "delete from studio_step using gone_on where take_id = gone_on.id and position > %(position)s"


def go_on(owner: AbstractBaseUser, take_id: UUID, revision: int, before: History, after: History) -> bool:
    """Write what one change of a history has come to; False, where the take is no longer at that revision.

    All of it is one question to the database. In Django's words it is three and a transaction, of which making, asking
    and planning cost a third of the time in which a kept stroke is answered (`./lull bench`).
    """
    values = {"take": take_id, "owner": owner.pk, "revision": revision, "done": after.done, "now": timezone.now()}
    sql = GO_ON
    # Undo and redo write no rows.
    if after.steps != before.steps:
        first = _first(before, after)
        (step,) = after.steps[first:]
        row = _row(first, step)
        values |= {**row, "stroke": json.dumps(row["stroke"])}
        undone = f", undone as ({UNDONE})" if len(before.steps) > first + 1 else ""
        sql = f"with gone_on as ({GO_ON} returning id){undone} {STEP}"
    with connection.cursor() as cursor:
        cursor.execute(sql, values)
        return bool(cursor.rowcount)


def add(take_id: UUID, before: History, after: History) -> None:
    """Write new steps of a take that is locked, over those that were undone."""
    if after.steps == before.steps:
        return
    first = _first(before, after)
    if len(before.steps) > first:
        Step.objects.filter(take_id=take_id, position__gte=first).delete()
    Step.objects.bulk_create(
        Step(take_id=take_id, **_row(position, step)) for position, step in enumerate(after.steps[first:], first)
    )


def _first(before: History, after: History) -> int:
    """From which step on two histories differ, at the earliest."""
    return min(before.done, after.done - 1)


def _row(position: int, step: Entry) -> dict[str, Any]:
    return {
        "position": position,
        "number": step.number,
        "stroke": step.stroke.model_dump(mode="json", exclude_none=True),
        "label": step.stroke.title,
        "on": step.on,
        "gone": step.gone,
    }
