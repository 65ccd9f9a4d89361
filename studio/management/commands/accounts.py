"""`manage.py accounts`: who has one, and what they keep; one is shut, opened again, let into, given room."""

import argparse

from django.contrib.auth.models import User
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db.models import QuerySet

from expression.limits import GIB, MIB
from studio.models import Room
from studio.services import accounts, quota
from studio.signing_in import link_token


class Command(BaseCommand):
    """For whoever runs Lull."""

    help = "List accounts; disable, enable, reset or delete one; give it room."

    def add_arguments(self, parser: CommandParser) -> None:
        """What is to be done, and to whom."""
        acts = parser.add_subparsers(dest="act", required=True, parser_class=argparse.ArgumentParser)
        listed = acts.add_parser("list", help="all accounts, with what they keep")
        listed.add_argument("--disabled", action="store_true", help="those alone that are shut")
        for act, does in (
            ("disable", "nobody signs in to it, and its sessions end; what it holds stays"),
            ("enable", "it is as it was"),
            ("reset", "print a link that signs its player in, once, to choose another password"),
            ("delete", "it goes for good, with everything in it; the name is told twice"),
            ("room", "it may keep so many GiB; 0: as many as everybody"),
        ):
            one = acts.add_parser(act, help=does)
            one.add_argument("name")
            if act == "reset":
                one.add_argument("--address", default="http://127.0.0.1:8000", help="what the link begins with")
            elif act == "delete":
                one.add_argument("again", help="the name again, which says that this is meant")
            elif act == "room":
                one.add_argument("gib", type=float)

    def handle(self, *args: object, **options: object) -> None:
        """Do it."""
        act = str(options["act"])
        if act == "list":
            self._list(User.objects.filter(is_active=False) if options["disabled"] else User.objects.all())
            return
        user = User.objects.filter(username=options["name"]).first()
        if user is None:
            raise CommandError(f"There is no account {options['name']}. See: accounts list")
        if act == "reset":
            self.stdout.write(f"{options['address']}/enter/{link_token(user)}")
        elif act == "delete":
            if options["again"] != user.get_username():
                raise CommandError("The two names differ; nothing was deleted.")
            accounts.delete(user, user.get_username())
            self.stdout.write(f"{options['name']} is gone, with everything in it.")
        elif act == "room":
            gib = options["gib"]
            assert isinstance(gib, float)
            self._room(user, gib)
        else:
            count = accounts.shut(user) if act == "disable" else accounts.open_again(user)
            self.stdout.write(f"{user.get_username()} is {act}d." + (f" {count} sessions ended." if count else ""))

    def _list(self, users: QuerySet[User]) -> None:
        self.stdout.write(f"{'name':30} {'state':9} {'signed in':16} {'takes':>6} {'MiB':>9} {'of GiB':>7}  mail")
        for user in users.order_by("username").iterator(chunk_size=200):
            kept = quota.held(user)
            state = "open" if user.is_active else "disabled"
            last = f"{user.last_login:%Y-%m-%d %H:%M}" if user.last_login else "never"
            room = f"{kept.takes:6,} {kept.bytes / MIB:9,.1f} {kept.most_bytes / GIB:7.3g}"
            self.stdout.write(f"{user.get_username():30} {state:9} {last:16} {room}  {user.email}".rstrip())

    def _room(self, user: User, gib: float) -> None:
        if not 0 <= gib <= 1_000:
            raise CommandError("An account may have up to 1000 GiB; 0: as many as everybody.")
        if gib:
            Room.objects.update_or_create(owner=user, defaults={"most_bytes": int(gib * GIB)})
        else:
            Room.objects.filter(owner=user).delete()
        kept = quota.held(user)
        self.stdout.write(
            f"{user.get_username()} keeps {kept.bytes / MIB:,.1f} MiB of {kept.most_bytes / GIB:.3g} GiB."
        )
