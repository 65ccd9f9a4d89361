"""What players do with their own accounts: another password, every other session ended, all of it gone."""

from django.contrib.auth import password_validation, update_session_auth_hash
from django.contrib.auth.models import AbstractBaseUser, User
from django.contrib.sessions.models import Session
from django.core.exceptions import ValidationError
from django.db import transaction
from django.http import HttpRequest
from django.utils import timezone

from expression.errors import Refused
from studio.models import Job, SoundBank, Take, TakeSound
from studio.services import bulk, spool
from studio.services.folding import cache
from studio.signing_in import BY_LINK, right_password


class NotYours(Refused):
    """What was given does not show that the account is theirs."""


def change_password(request: HttpRequest, user: AbstractBaseUser, old: str, new: str) -> None:
    """Another password; every other session ends with that, this one goes on. Raises NotYours, Refused.

    Who has come in by a link need not know the one before, once.
    """
    player = User.objects.get(pk=user.pk)
    if needs_password(request, player) and not right_password(player, old):
        raise NotYours("That is not your present password.", "old")
    set_password(player, new, "new")
    player.save(update_fields=["password"])
    request.session.pop(BY_LINK, None)
    update_session_auth_hash(request, player)


def needs_password(request: HttpRequest, player: User) -> bool:
    """Whether the present password is to be told before there is another."""
    return player.has_usable_password() and not request.session.get(BY_LINK, False)


def set_password(user: User, password: str, field: str) -> None:
    """A password for an account, which is not saved by that. Raises Refused where it is too easy to guess."""
    try:
        password_validation.validate_password(password, user)
    except ValidationError as faults:
        raise Refused(" ".join(faults.messages), field) from None
    user.set_password(password)


def end_others(request: HttpRequest, user: AbstractBaseUser) -> int:
    """Sign the account out everywhere but here; how many sessions ended."""
    here = request.session.session_key
    ended = [one.pk for one in _sessions(user) if one.pk != here]
    return Session.objects.filter(pk__in=ended).delete()[0]


def _sessions(user: AbstractBaseUser) -> list[Session]:
    living = Session.objects.filter(expire_date__gt=timezone.now()).iterator()
    return [one for one in living if one.get_decoded().get("_auth_user_id") == str(user.pk)]


def shut(user: User) -> int:
    """Nobody signs in to an account any more, and its sessions end; how many they were. What it holds stays."""
    user.is_active = False
    user.save(update_fields=["is_active"])
    return Session.objects.filter(pk__in=[one.pk for one in _sessions(user)]).delete()[0]


def open_again(user: User) -> int:
    """It is as it was before it was shut. No session comes back: none."""
    user.is_active = True
    user.save(update_fields=["is_active"])
    return 0


def delete(user: AbstractBaseUser, name: str) -> None:
    """The account with everything in it, for good. Its name, typed, says that this is meant. Raises NotYours."""
    if name != user.get_username():
        raise NotYours("Type the name of your account to delete it with everything in it.", "name")
    takes = list(Take.objects.filter(owner_id=user.pk).values_list("pk", flat=True))
    files = list(Job.objects.filter(owner_id=user.pk).values_list("pk", flat=True))
    heavy = [
        *TakeSound.objects.filter(take__owner_id=user.pk).values_list("file", flat=True),
        *SoundBank.objects.filter(owner_id=user.pk).values_list("file", flat=True),
    ]
    with transaction.atomic():
        Session.objects.filter(pk__in=[one.pk for one in _sessions(user)]).delete()
        user.delete()
    for take in takes:
        cache.forget(take)
    for file in files:
        spool.drop(file)
    bulk.drop(heavy)
