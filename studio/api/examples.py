"""Takes that the guide shows things in."""

from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema

from studio.api.access import owner
from studio.api.schemas import Problem
from studio.services import examples

router = Router(tags=["guide"])


class Example(Schema):
    """A take of the account."""

    id: UUID


@router.post("{str:name}", response={200: Example, 401: Problem, 404: Problem, 422: Problem})
def open_example(request: HttpRequest, name: str) -> object:
    """The account's take of an example (`the-stair`, `the-keepers-log` ...), which is added where there is none."""
    return examples.opened(owner(request), name)
