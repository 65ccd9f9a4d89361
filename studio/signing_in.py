"""Signing in: by name and password, with guesses slowed down, and by a link that works once."""

import hashlib
import logging
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from threading import BoundedSemaphore

from django.conf import settings
from django.contrib.auth import authenticate
from django.contrib.auth.models import User
from django.contrib.auth.tokens import PasswordResetTokenGenerator
from django.core.signing import BadSignature
from django.db import transaction
from django.db.models import F, Max
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from expression.errors import Refused
from studio.models import SignInTrouble
from studio.services.takes import plain

log = logging.getLogger(__name__)

FREE = {"both": 5, "address": 20, "name": 20}
"""So many wrong guesses cost nothing: by name and address together, by address, by name."""
LONGEST = {"both": 900, "address": 900, "name": 30, "turn": 3_600}
"""Seconds that a next guess waits at most. By name alone it is short, so that nobody can lock another player out."""
FORGOTTEN = timedelta(days=1)
CHECKING = BoundedSemaphore(1)
"""A password costs most of a second of a processor on purpose: one is checked at a time, whoever asks ..."""
QUEUE = BoundedSemaphore(3)
"""... and so few wait for that, each with a thread that others may want ..."""
QUEUE_SECONDS = 4.0
"""... no longer than this. Who finds no place asks again by itself."""
AGAIN = 1
BY_LINK = "by link"
"""What a session holds that a link has begun: its player may choose another password without the one before."""
KNOWN, KNOWN_SALT, KNOWN_FOR = "lull_known", "lull.known", 400 * 24 * 3600
"""A cookie that says which names have signed in on a browser before: their own guesses alone count there."""
MOST_KNOWN = 8


class TooManyGuesses(Refused):
    """Whoever tries to sign in has to wait; `again`: the seconds after which to ask again by itself, if that helps."""

    def __init__(self, sentence: str, again: int | None = None) -> None:
        super().__init__(sentence)
        self.again = again


def by_password(request: HttpRequest, name: str, password: str) -> User | None:
    """The account that a name and a password belong to; None where they do not. Raises TooManyGuesses."""
    address = request.META.get("REMOTE_ADDR", "")
    # A browser on which the name has signed in before is none of those who guess from the same address, or at the name.
    is_known = _short(name) in _known(request)
    keys = _keys(name, "known" if is_known else address)
    keys = {"both": keys["both"]} if is_known else keys
    if waits := _waits(keys):
        raise TooManyGuesses(f"That was wrong too often. Try again in {_spoken(waits)}.")
    with _checking():
        user = authenticate(request, username=name, password=password) if plain(name) else None
    if user is None:
        log.warning("wrong password for %r from %s", name[:80], address)
        for kind, key in keys.items():
            _count(kind, key)
    else:
        SignInTrouble.objects.filter(key__in=[keys[one] for one in ("both", "name") if one in keys]).delete()
    return user


def right_password(user: User, password: str) -> bool:
    """Whether it is the password of an account that is signed in; guesses are slowed down here, too.

    Raises TooManyGuesses.
    """
    keys = {"both": _short(f"password of {user.pk}")}
    if waits := _waits(keys):
        raise TooManyGuesses(f"That was wrong too often. Try again in {_spoken(waits)}.")
    with _checking():
        is_right = user.check_password(password)
    if is_right:
        SignInTrouble.objects.filter(key__in=keys.values()).delete()
    else:
        _count("both", keys["both"])
    return is_right


def take_turn(what: str, free: int = 5) -> None:
    """Count what may be done so many times a day at once, and then slower and slower. Raises TooManyGuesses."""
    key = _short(what)
    if waits := _waits({what: key}):
        raise TooManyGuesses(f"That was asked for too often. Try again in {_spoken(waits)}.")
    _count("turn", key, free)


@contextmanager
def _checking() -> Iterator[None]:
    """One password is checked at a time; a few wait for that. Raises TooManyGuesses."""
    busy = TooManyGuesses("Others are just signing in; this comes in a moment.", AGAIN)
    if not QUEUE.acquire(blocking=False):
        raise busy
    try:
        if not CHECKING.acquire(timeout=QUEUE_SECONDS):
            raise busy
        try:
            yield
        finally:
            CHECKING.release()
    finally:
        QUEUE.release()


def _known(request: HttpRequest) -> list[str]:
    try:
        told = request.get_signed_cookie(KNOWN, salt=KNOWN_SALT, max_age=KNOWN_FOR)
    except (KeyError, BadSignature):
        return []
    return (told or "").split(".")[:MOST_KNOWN]


def remember(request: HttpRequest, response: HttpResponse, user: User) -> None:
    """Have the browser say from now on that the account has signed in there."""
    names = [_short(user.get_username()), *_known(request)]
    value = ".".join(list(dict.fromkeys(names))[:MOST_KNOWN])
    secure = settings.SESSION_COOKIE_SECURE
    response.set_signed_cookie(
        KNOWN, value, salt=KNOWN_SALT, max_age=KNOWN_FOR, httponly=True, samesite="Strict", secure=bool(secure)
    )


def _keys(name: str, address: str) -> dict[str, str]:
    player = name.casefold()
    return {"both": _short(f"{player}\n{address}"), "address": _short(f"\n{address}"), "name": _short(player)}


def _short(text: str) -> str:
    return hashlib.sha256(text.casefold().encode("utf-8", "replace")).hexdigest()[:32]


def _waits(keys: dict[str, str]) -> float:
    now = timezone.now()
    # Nobody waits for longer than that: what ends later was written down by a clock that has jumped.
    soon = now + timedelta(seconds=max(LONGEST.values()))
    waiting = SignInTrouble.objects.filter(key__in=keys.values(), until__gt=now, until__lte=soon)
    last = waiting.aggregate(last=Max("until"))["last"]
    return (last - now).total_seconds() if last else 0.0


def _count(kind: str, key: str, free: int | None = None) -> None:
    """One more wrong guess; each beyond those that are free makes the next wait twice as long."""
    now = timezone.now()
    SignInTrouble.objects.filter(last__lt=now - FORGOTTEN).delete()
    with transaction.atomic():
        SignInTrouble.objects.get_or_create(key=key)
        SignInTrouble.objects.filter(key=key).update(failures=F("failures") + 1, last=now)
        trouble = SignInTrouble.objects.get(key=key)
        if (beyond := trouble.failures - (FREE[kind] if free is None else free)) >= 0:
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

    def _make_hash_value(self, user: User, timestamp: int) -> str:
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
