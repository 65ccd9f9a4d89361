"""`manage.py invite`: a link with which one person makes an account. So comes the first player into a new Lull."""

from django.core.management.base import BaseCommand, CommandParser

from studio.services import invitations


class Command(BaseCommand):
    """Each link is for one person, for a week."""

    help = "Print a link with which somebody makes an account."

    def add_arguments(self, parser: CommandParser) -> None:
        """The address the link is to start with."""
        parser.add_argument("--address", default="http://127.0.0.1:8000")

    def handle(self, *args: object, **options: object) -> None:
        """Make and print."""
        token, _ = invitations.invite(None)
        self.stdout.write(f"{options['address']}/invited/{token}")
