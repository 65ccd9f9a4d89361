"""Cookies as they may be: what cannot be looked up is as good as not there."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse


class PlainCookies:
    """Leaves out cookies with control characters, which no browser of ours was given."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer the request without them."""
        for name in [name for name, value in request.COOKIES.items() if not value.isprintable()]:
            del request.COOKIES[name]
        return self._get_response(request)
