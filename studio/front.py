"""What is asked when the headers of a request have come, before its body: the server (waitress) reads bodies whole.

Strangers may send what signing in takes, and no more: otherwise they could fill the disk before they are refused.
"""

from django.conf import settings
from django.contrib.sessions.backends.db import SessionStore
from django.db import DatabaseError, connection
from django.http.cookie import parse_cookie
from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.utilities import Error

from expression.limits import KIB
from studio.error_responses import NO_DATABASE, SENTENCES

MOST_OF_STRANGERS = 64 * KIB


class _Refusal(Error):  # type: ignore[misc]
    """A refusal as the API has them."""

    def __init__(self, code: int, reason: str, sentence: str) -> None:
        super().__init__(sentence)
        self.code, self.reason = code, reason

    def to_response(self, ident: str | None = None) -> tuple[str, list[tuple[str, str]], bytes]:
        """Status, headers and body."""
        body = f'{{"detail": "{self.body}"}}'.encode()
        return f"{self.code} {self.reason}", [("Content-Type", "application/json"), ("Connection", "close")], body


class Parser(HTTPRequestParser):  # type: ignore[misc]
    """Reads requests as waitress does, and refuses what is long and comes from nobody that is known."""

    content_length: int
    chunked: bool

    def parse_header(self, header_plus: bytes) -> None:
        """Once all headers are there; `error` ends the reading."""
        super().parse_header(header_plus)
        if (self.chunked or self.content_length > MOST_OF_STRANGERS) and (refusal := self._refusal()):
            self.error = refusal
            # Nothing that follows is read.
            self.body_rcv, self.content_length = None, 0
            self.chunked = False
            self.connection_close = True

    def _refusal(self) -> Error | None:
        key = parse_cookie(self.headers.get("COOKIE", "")).get(settings.SESSION_COOKIE_NAME)
        try:
            connection.close_if_unusable_or_obsolete()
            known = key is not None and SessionStore().exists(key)
        except DatabaseError:
            return _Refusal(503, "Service Unavailable", NO_DATABASE)
        return None if known else _Refusal(401, "Unauthorized", SENTENCES[401])


def stand() -> None:
    """Read requests so from now on."""
    HTTPChannel.parser_class = Parser
