"""`manage.py demo`: the demo account with *The fog signal*, and a link that signs in."""

from django.contrib.auth.models import User
from django.core.management.base import BaseCommand, CommandParser
from django.db import transaction

from demo.fog_signal import HANDS, TAKES
from studio.services import examples, hands, takes
from studio.signing_in import link_token


class Command(BaseCommand):
    """Makes what is missing; takes that are there, or were deleted, are left alone."""

    help = "Load the demo and print a link that signs in."

    def add_arguments(self, parser: CommandParser) -> None:
        """The address the link is to start with."""
        parser.add_argument("--address", default="http://127.0.0.1:8000")

    def handle(self, *args: object, **options: object) -> None:
        """Load and print."""
        with transaction.atomic():  # All or nothing, so that a start that was cut off is made good by the next.
            user = self._account()
        self.stdout.write(f"{options['address']}/enter/{link_token(user)}")

    def _account(self) -> User:
        user, made = User.objects.get_or_create(username="demo")
        if made:
            user.set_unusable_password()
            user.save()
            # The newest stands first in the library, so the first is loaded last.
            for name in reversed(TAKES):
                examples.added(user, name)
            for name, (take, part) in HANDS.items():
                hands.measured(user, takes.owned(user).get(name=take), part, name)
        return user
