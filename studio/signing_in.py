"""Signing in: by name and password, with guesses slowed down, and by a link that works once."""

import hashlib
import logging
from datetime import timedelta
from threading import BoundedSemaphore
from typing import Any

from django.contrib.auth import authenticate
from django.contrib.auth.models import User
from django.contrib.auth.tokens import PasswordResetTokenGenerator
from django.db import transaction
from django.db.models import F, Max
from django.http import HttpRequest
from django.utils import timezone

from expression.errors import Refused
from studio.models import SignInTrouble
from studio.services.takes import plain

log = logging.getLogger(__name__)

FREE = {"both": 5, "address": 20, "name": 20}
"""So many wrong guesses cost nothing: by name and address together, by address, by name."""
LONGEST = {"both": 900, "address": 900, "name": 30}
"""Seconds that a next guess waits at most. By name alone it is short, so that nobody can lock another player out."""
FORGOTTEN = timedelta(days=1)
CHECKING = BoundedSemaphore(1)
"""A password costs most of a second of a processor on purpose: one is checked at a time, whoever asks."""


class TooManyGuesses(Refused):
    """Whoever tries to sign in has to wait."""


def by_password(request: HttpRequest, name: str, password: str) -> User | None:
    """The account that a name and a password belong to; None where they do not. Raises TooManyGuesses."""
    address = request.META.get("REMOTE_ADDR", "")
    keys = _keys(name, address)
    if waits := _waits(keys):
        raise TooManyGuesses(f"That was wrong too often. Try again in {_spoken(waits)}.")
    if not CHECKING.acquire(blocking=False):
        raise TooManyGuesses("Somebody else is just signing in. Try again in a moment.")
    try:
        user = authenticate(request, username=name, password=password) if plain(name) else None
    finally:
        CHECKING.release()
    if user is None:
        log.warning("wrong password for %r from %s", name[:80], address)
        for kind, key in keys.items():
            _count(kind, key)
    else:
        SignInTrouble.objects.filter(key__in=[keys["both"], keys["name"]]).delete()
    return user


def _keys(name: str, address: str) -> dict[str, str]:
    def short(text: str) -> str:
        return hashlib.sha256(text.encode("utf-8", "replace")).hexdigest()[:32]

    player = name.casefold()
    return {"both": short(f"{player}\n{address}"), "address": short(f"\n{address}"), "name": short(player)}


def _waits(keys: dict[str, str]) -> float:
    now = timezone.now()
    last = SignInTrouble.objects.filter(key__in=keys.values(), until__gt=now).aggregate(last=Max("until"))["last"]
    return (last - now).total_seconds() if last else 0.0


def _count(kind: str, key: str) -> None:
    """One more wrong guess; each beyond those that are free makes the next wait twice as long."""
    now = timezone.now()
    SignInTrouble.objects.filter(last__lt=now - FORGOTTEN).delete()
    with transaction.atomic():
        SignInTrouble.objects.get_or_create(key=key)
        SignInTrouble.objects.filter(key=key).update(failures=F("failures") + 1, last=now)
        trouble = SignInTrouble.objects.get(key=key)
        if (beyond := trouble.failures - FREE[kind]) >= 0:
            trouble.until = now + timedelta(seconds=min(2 ** min(beyond, 30), LONGEST[kind]))
            trouble.save(update_fields=["until"])


def _spoken(seconds: float) -> str:
    whole = int(seconds) + 1
    if whole < 90:
        return "a second" if whole == 1 else f"{whole} seconds"
    return f"{-(-whole // 60)} minutes"


class _Links(PasswordResetTokenGenerator):
    """Tokens that are spent as soon as their account has signed in, by whatever way."""

    key_salt = "lull.enter"

    def _make_hash_value(self, user: Any, timestamp: int) -> str:
        """With the very moment of the last sign-in: Django's own looks at seconds, in which a link works twice."""
        return f"{super()._make_hash_value(user, timestamp)}{user.last_login}"


_links = _Links()


def link_token(user: User) -> str:
    """The last piece of a link that signs an account in: once, and within twelve hours."""
    return f"{user.pk}-{_links.make_token(user)}"


def by_link(token: str) -> User | None:
    """The account that a link is for; None where it is spent, has expired or was cut off."""
    number, _, rest = token.partition("-")
    if not (number.isascii() and number.isdigit() and len(number) < 19):
        return None
    user = User.objects.filter(pk=int(number), is_active=True).first()
    return user if user is not None and _links.check_token(user, rest) else None
