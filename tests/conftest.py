"""Fixtures that application and browser tests share."""

import os

import pytest

# Playwright's loop runs in the same thread as the tests' own, quite synchronous, database work.
os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "1")


@pytest.fixture(autouse=True)
def empty_shelf() -> None:
    """No test sees what another has left in memory."""
    from studio.services.folding import shelf

    shelf.clear()
