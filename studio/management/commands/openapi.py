"""`manage.py openapi`: the API's contract, from which docs/openapi.json and the TypeScript types are made."""

import json

from django.core.management.base import BaseCommand

from studio.api import api


def contract() -> str:
    """The OpenAPI document as text."""
    return json.dumps(api.get_openapi_schema(), indent=1, sort_keys=True, default=str) + "\n"


class Command(BaseCommand):
    """Print it."""

    help = "Print the OpenAPI document."

    def handle(self, *args: object, **options: object) -> None:
        """Print it."""
        self.stdout.write(contract(), ending="")
