"""What stands before every request: files of strangers are not read, and every refusal of the API is a sentence."""

import sys
from collections.abc import Callable
from threading import Lock

import orjson
from django.conf import settings
from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse

from studio.services import places

Answer = Callable[[HttpRequest], HttpResponse]
NO_DATABASE = "Lull cannot reach its database just now; nothing was changed. Try again in a moment."
SENTENCES = {
    400: "Lull does not understand this request.",
    401: "You are signed out. Sign in to go on.",
    403: "This page is no longer valid. Load it again and try once more.",
    404: "There is nothing at this address.",
    405: "This cannot be done at this address.",
    413: "This is more than Lull reads at once.",
    500: "Something went wrong in Lull; nothing was changed. Try again.",
    503: NO_DATABASE,
}


class PlainAnswers:
    """Refusals that the framework words for itself, in Lull's words: as JSON under /api/, as a page elsewhere."""

    def __init__(self, get_response: Answer) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer the request."""
        answer = self._get_response(request)
        kind = answer.get("Content-Type", "")
        if answer.status_code < 400 or not request.path.startswith("/api/") or kind.startswith("application/json"):
            return answer
        plain = problem(request, answer.status_code)
        for name in ("Allow", "Vary"):
            if name in answer:
                plain[name] = answer[name]
        plain.cookies = answer.cookies
        return plain


def problem(request: HttpRequest, status: int, sentence: str | None = None) -> HttpResponse:
    """A refusal in a sentence."""
    sentence = sentence or SENTENCES.get(status, SENTENCES[400 if status < 500 else 500])
    if request.path.startswith("/api/"):
        return HttpResponse(orjson.dumps({"detail": sentence}), status=status, content_type="application/json")
    page = f'<!doctype html><html lang="en"><title>Lull</title><p>{sentence}</p><p><a href="/">To the library</a></p>'
    return HttpResponse(page, status=status)


def no_token(request: HttpRequest, reason: str = "") -> HttpResponse:
    """What is answered to a form that was not sent from a page of this session."""
    return problem(request, 403)


def failed(request: HttpRequest) -> HttpResponse:
    """What is answered where something went wrong that nobody foresaw, or where the database is away."""
    error = sys.exc_info()[1]
    if sentence := places.trouble(error):
        return problem(request, 503, sentence)
    return problem(request, 503 if isinstance(error, (OperationalError, InterfaceError)) else 500)


def malformed(request: HttpRequest, exception: Exception) -> HttpResponse:
    """The request is not one that could be answered."""
    return problem(request, 400)


class UploadsOfPlayers:
    """Only files of those who are signed in are read, and only so many bytes of them at once.

    Stands before whatever reads the body, which Django's check for forged requests does.
    """

    def __init__(self, get_response: Answer) -> None:
        self._get_response = get_response
        self._lock, self._under_way = Lock(), 0

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer the request, or refuse it unread."""
        if not request.content_type or not request.content_type.startswith("multipart/"):
            return self._get_response(request)
        try:
            if not request.user.is_authenticated:
                return problem(request, 401)
        except (OperationalError, InterfaceError):
            return problem(request, 503)
        length = int(request.META.get("CONTENT_LENGTH") or 0)
        with self._lock:
            if self._under_way and self._under_way + length > settings.MOST_BYTES_UNDER_WAY:
                return problem(request, 503, "Other files are being read just now. Try again in a moment.")
            self._under_way += length
        try:
            return self._get_response(request)
        finally:
            with self._lock:
                self._under_way -= length
