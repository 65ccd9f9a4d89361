"""What looking up who asks costs a request: by Lull's own session cache, and by Django's own middleware."""

import time

from django.contrib.auth.models import User
from django.db import connections
from django.test import Client, override_settings

from config.settings import MIDDLEWARE

OWN, STOCK = "studio.session_cache.SessionCache", "django.contrib.auth.middleware.AuthenticationMiddleware"
ROUNDS = 400


def asking(user: User) -> None:
    """The empty request, signed in, both ways in turn."""
    taken: dict[str, list[float]] = {OWN: [], STOCK: []}
    for one in (OWN, STOCK) * 3:
        with override_settings(MIDDLEWARE=[one if layer == OWN else layer for layer in MIDDLEWARE]):
            client = Client(headers={"host": "127.0.0.1"})
            client.force_login(user)
            for turn in range(-20, ROUNDS):
                # As at the begin of each request of a server.
                for line in connections.all():
                    line.health_check_done = False  # type: ignore[attr-defined]
                begun = time.perf_counter()
                assert client.get("/api/ping").status_code == 200
                if turn >= 0:
                    taken[one].append(time.perf_counter() - begun)
    own, stock = (1000 * sorted(times)[len(times) * 95 // 100] for times in taken.values())
    print(f"an empty request, 95%: {own:.1f} ms with the session cache, {stock:.1f} ms with Django's own")
