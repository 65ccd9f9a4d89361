"""Who has asked: looked up anew for each request, but in one query where it is a session that was seen before.

`./lull bench` prints what an empty request takes so, and what it takes with Django's own: about half.
"""

import copy
from collections import OrderedDict
from collections.abc import Callable
from threading import Lock
from typing import NamedTuple

from django.conf import settings
from django.contrib.auth import get_user
from django.contrib.auth.models import AnonymousUser, User
from django.db import connection
from django.http import HttpRequest, HttpResponse
from django.utils.functional import SimpleLazyObject

MOST = 2_000
STANDS = """
    select s.session_data, u.password, u.username from django_session s, auth_user u
    where s.session_key = %s and s.expire_date > now() and u.id = %s and u.is_active
"""


class _Seen(NamedTuple):
    """A session whose account was found by all the rules, and what of it these rules look at."""

    stands: tuple[str, str, str]
    """The session as it is stored, and the account's password (hashed) and name."""
    user: User


class SessionCache:
    """In the place of Django's own `AuthenticationMiddleware`, which it asks about sessions that are new or changed."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response
        self._seen: OrderedDict[str, _Seen] = OrderedDict()
        self._lock = Lock()

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer the request."""

        def who() -> User | AnonymousUser:
            # Where Django's own keeps it as well: whoever writes the request down asks nobody.
            request._cached_user = self._who(request)  # type: ignore[attr-defined]
            return request._cached_user  # type: ignore[attr-defined,no-any-return]

        request.user = SimpleLazyObject(who)  # type: ignore[assignment]
        return self._get_response(request)

    def _who(self, request: HttpRequest) -> User | AnonymousUser:
        key = request.COOKIES.get(settings.SESSION_COOKIE_NAME)
        if not key:
            return AnonymousUser()
        seen = self._seen.get(key)
        if seen is not None and _stands(key, seen.user) == seen.stands:
            return copy.copy(seen.user)
        found = get_user(request)
        if isinstance(found, User) and (stands := _stands(key, found)) is not None:
            with self._lock:
                self._seen[key] = _Seen(stands, copy.copy(found))
                while len(self._seen) > MOST:
                    self._seen.popitem(last=False)
        return found if isinstance(found, User) else AnonymousUser()


def _stands(key: str, user: User) -> tuple[str, str, str] | None:
    with connection.cursor() as cursor:
        cursor.execute(STANDS, [key, user.pk])
        return cursor.fetchone()  # type: ignore[no-any-return]
