"""Links with which somebody makes an account: each for one person, for a week."""

import hashlib
import secrets
from datetime import timedelta

from django.contrib.auth.models import AbstractBaseUser, User
from django.contrib.auth.validators import UnicodeUsernameValidator
from django.core.exceptions import ValidationError
from django.db import IntegrityError, transaction
from django.db.models import QuerySet
from django.utils import timezone

from expression.errors import Refused
from expression.limits import MOST_INVITATIONS_EACH
from studio.models import Invitation
from studio.services.accounts import set_password
from studio.services.takes import plain

KEPT = timedelta(days=7)
SPENT = "This invitation was used before, has expired or was taken back. Ask for another one."


class NoInvitation(Refused):
    """There is none that could be used."""


def invite(owner: AbstractBaseUser | None) -> tuple[str, Invitation]:
    """A new one: the last piece of its link, which is told this once, and what is kept of it."""
    if owner is not None and open_ones(owner).count() >= MOST_INVITATIONS_EACH:
        raise Refused(f"{MOST_INVITATIONS_EACH} of your invitations are open, which is the most; take one back first.")
    token = secrets.token_urlsafe(24)
    until = timezone.now() + KEPT
    return token, Invitation.objects.create(key=_key(token), made_by_id=owner.pk if owner else None, until=until)


def open_ones(owner: AbstractBaseUser) -> QuerySet[Invitation]:
    """Those that an account has made and nobody has used."""
    return Invitation.objects.filter(made_by_id=owner.pk, used_at__isnull=True, until__gt=timezone.now())


def take_back(owner: AbstractBaseUser, number: int) -> None:
    """Nobody can use it any longer."""
    open_ones(owner).filter(pk=number).delete()


def accept(token: str, name: str, password: str) -> User:
    """The account that somebody makes by an invitation, which is spent with that. Raises NoInvitation, Refused."""
    with transaction.atomic():
        invitation = Invitation.objects.select_for_update().filter(
            key=_key(token), used_at__isnull=True, until__gt=timezone.now()
        ).first()  # fmt: skip
        if invitation is None:
            raise NoInvitation(SPENT)
        user = _made(name.strip(), password)
        invitation.used_at = timezone.now()
        invitation.save(update_fields=["used_at"])
    return user


def _made(name: str, password: str) -> User:
    user = User(username=User.normalize_username(name))
    try:
        if not plain(name) or not name or len(name) > 150:
            raise ValidationError("")
        UnicodeUsernameValidator()(name)
    except ValidationError:
        raise Refused("A name has 1 to 150 letters, digits, or any of @ . + - _; choose another.", "name") from None
    if User.objects.filter(username__iexact=name).exists():
        raise Refused("That name is taken; choose another.", "name")
    set_password(user, password, "password")
    try:
        with transaction.atomic():
            user.save()
    except IntegrityError:
        raise Refused("That name is taken; choose another.", "name") from None
    return user


def _key(token: str) -> str:
    return hashlib.sha256(token.encode("utf-8", "replace")).hexdigest()
