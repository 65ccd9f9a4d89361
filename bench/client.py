"""A player as the server sees one: a session, a connection that is kept, calls of the API."""

import http.client
import json
import socket
import time
from typing import Any, NamedTuple

from django.conf import settings
from django.contrib.auth import BACKEND_SESSION_KEY, HASH_SESSION_KEY, SESSION_KEY
from django.contrib.auth.models import User
from django.contrib.sessions.backends.db import SessionStore

TOKEN = "b" * 32
SAFE = ("/ping", "/preview", "/view", "/file", "/me")
"""What can be asked twice."""
BACKEND = "django.contrib.auth.backends.ModelBackend"


class Answer(NamedTuple):
    """Status (0: none came), body, seconds."""

    status: int
    body: bytes
    seconds: float

    @property
    def json(self) -> Any:
        return json.loads(self.body)


def session(user: User) -> str:
    """A session of a player who has signed in."""
    store = SessionStore()
    store.update(
        {SESSION_KEY: str(user.pk), BACKEND_SESSION_KEY: BACKEND, HASH_SESSION_KEY: user.get_session_auth_hash()}
    )
    store.create()
    return str(store.session_key)


class Player:
    """Somebody who is signed in."""

    def __init__(self, port: int, key: str, timeout: float = 60) -> None:
        self._port, self._timeout = port, timeout
        self._cookies = f"{settings.SESSION_COOKIE_NAME}={key}; csrftoken={TOKEN}"
        self._line: http.client.HTTPConnection | None = None

    def call(self, method: str, path: str, body: object = None) -> Answer:
        """Ask, and time the answer."""
        data = None if body is None else json.dumps(body).encode()
        return self.send(method, path, data, "application/json")

    def file(self, path: str, data: bytes, name: str = "take.mid") -> Answer:
        """Send a file."""
        head = f'--b\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\n\r\n'
        return self.send("POST", path, head.encode() + data + b"\r\n--b--\r\n", "multipart/form-data; boundary=b")

    def send(self, method: str, path: str, data: bytes | None, kind: str) -> Answer:
        """Ask with a body as it is."""
        was_kept = self._line is not None
        headers = {"Cookie": self._cookies, "X-CSRFToken": TOKEN, "Content-Type": kind}
        begun = time.perf_counter()
        try:
            if self._line is None:
                self._line = http.client.HTTPConnection("127.0.0.1", self._port, timeout=self._timeout)
                self._line.connect()
                self._line.sock.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            self._line.request(method, path, data, headers)
            answer = self._line.getresponse()
            body = answer.read()
        except (OSError, http.client.HTTPException):
            self.leave()
            if was_kept and path.endswith(SAFE):  # It was kept for too long, and nobody was there any more.
                return self.send(method, path, data, kind)
            return Answer(0, b"", time.perf_counter() - begun)
        return Answer(answer.status, body, time.perf_counter() - begun)

    def leave(self) -> None:
        """Let go of the connection."""
        if self._line is not None:
            self._line.close()
        self._line = None
