"""Fixtures that application and browser tests share."""

import os
import shutil

import pytest
from hypothesis import settings

# Machines that are busy with other things are slow, not wrong. Random cases are the same each time, so that what has
# passed passes again; `LULL_SEEDS=new ./lull test` tries others.
settings.register_profile("lull", deadline=None, derandomize=os.environ.get("LULL_SEEDS") != "new")
settings.load_profile("lull")

# Playwright's loop runs in the same thread as the tests' own, quite synchronous, database work.
os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "1")


@pytest.fixture(autouse=True)
def empty_cache() -> None:
    """No test sees what another has left in memory."""
    from studio.services.folding import cache

    cache.clear()


def pytest_sessionfinish(session: pytest.Session) -> None:
    """Sounds of tests go with them."""
    if not hasattr(session.config, "workerinput"):
        from django.conf import settings as ours

        if ours.configured and ours.FILES.name == "files-of-tests":
            shutil.rmtree(ours.FILES, ignore_errors=True)
