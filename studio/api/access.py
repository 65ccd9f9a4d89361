"""Whose request it is."""

from django.contrib.auth.models import AbstractBaseUser
from django.http import HttpRequest
from ninja.errors import AuthenticationError


def owner(request: HttpRequest) -> AbstractBaseUser:
    """The account that is signed in; every query goes through it."""
    if not request.user.is_authenticated:
        raise AuthenticationError
    return request.user
