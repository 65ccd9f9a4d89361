"""A real server on the test database, and a real browser."""

import contextlib
import os
import time
from collections.abc import Iterator

import pytest
from django.contrib.auth.models import User
from django.db import connection, transaction
from django.test import Client
from playwright.sync_api import Browser, BrowserContext, Dialog, Page, Playwright, expect, sync_playwright
from playwright.sync_api import Error as PlaywrightError
from pytest_django import DjangoDbBlocker

from launcher.install import chromium
from launcher.postgres import free_port
from launcher.serving import CHROMIUM_FLAGS, serving, working
from tests.browser.desk import PATIENCE, Desk

expect.set_options(timeout=PATIENCE * 1000)

SEEDED = """
let roll = 20261127;
Math.random = () => {
  roll = (Math.imul(roll, 1664525) + 1013904223) >>> 0;
  return roll / 2 ** 32;
};
"""
"""The same rolls of the dice in every run (a linear congruential generator, Numerical Recipes' numbers)."""

AWAITED = """
(() => {
  const { setTimeout: begin, clearTimeout: end } = window, due = new Set();
  window.setTimeout = (act, ms = 0, ...words) => {
    const id = begin(() => { due.delete(id); act(...words); }, ms);
    if (ms <= 1500) due.add(id);
    return id;
  };
  window.clearTimeout = (id) => { due.delete(id); end(id); };
  window.awaits = () => new Promise((done) => begin(() => requestAnimationFrame(() => done(due.size)), 10));
})();
"""
"""The page counts what it means to do within a moment, so that who waits for quiet need not guess how long that is."""


STAYS = {"django_migrations", "django_content_type", "auth_permission"}
"""Tables that hold what migrating has put there."""


@pytest.fixture
def db(django_db_setup: None, django_db_blocker: DjangoDbBlocker) -> Iterator[None]:
    """A database that the server sees as the test does, empty again afterwards.

    Rows are deleted, in one transaction, since their references are looked at when it ends: a few milliseconds, where
    Django's own way (each table cut off, and what migrating puts there put there anew) takes half a second a test.
    """
    with django_db_blocker.unblock():
        yield
        wait_until_idle()
        with transaction.atomic(), connection.cursor() as cursor:
            for table in connection.introspection.django_table_names(only_existing=True, include_views=False):
                if table not in STAYS:
                    cursor.execute(f"delete from {connection.ops.quote_name(table)}")


@pytest.fixture(autouse=True)
def _real_database(db: None) -> None:
    """Each of these tests has it."""


@pytest.fixture(scope="session")
def address(django_db_setup: None) -> Iterator[str]:
    """The application served by waitress, as in earnest, with a worker beside it."""
    database = connection.settings_dict
    url = "postgres://{USER}:{PASSWORD}@{HOST}:{PORT}/{NAME}".format(**database)
    port = free_port()
    environment = {**os.environ, "DATABASE_URL": url, "DJANGO_SETTINGS_MODULE": "tests.settings"}
    # Other tests would leave a worker that gives way to all no time on a busy machine.
    with serving(port, environment), working(environment, niceness=0):
        yield f"http://127.0.0.1:{port}"


@pytest.fixture(scope="session")
def playwright() -> Iterator[Playwright]:
    with sync_playwright() as found:
        yield found


@pytest.fixture(scope="session")
def browser(playwright: Playwright) -> Iterator[Browser]:
    found = playwright.chromium.launch(executable_path=str(chromium()), args=CHROMIUM_FLAGS)
    yield found
    found.close()


@pytest.fixture
def player(db: None) -> User:
    return User.objects.create_user("anna", password="a long enough one")


@pytest.fixture(scope="session")
def window(playwright: Playwright, address: str, tmp_path_factory: pytest.TempPathFactory) -> Iterator[BrowserContext]:
    """A window of a browser that keeps what it has loaded and compiled once, so that it need not each time."""
    found = playwright.chromium.launch_persistent_context(
        tmp_path_factory.mktemp("browser"),
        executable_path=str(chromium()),
        args=[*CHROMIUM_FLAGS, "--process-per-site"],
        viewport={"width": 1280, "height": 800},
        base_url=address,
        accept_downloads=True,
    )
    found.new_page().goto("/sign-in")
    yield found
    found.close()


@pytest.fixture
def signed_in(window: BrowserContext, address: str, player: User) -> Iterator[Page]:
    """A new page, signed in, which has been nowhere yet. No error may reach the console."""
    client = Client()
    client.force_login(player)
    window.add_cookies([{"name": "sessionid", "value": client.cookies["sessionid"].value, "url": address}])
    # Opened by the page that is there already: it needs no process of its own.
    with window.expect_page() as opened:
        window.pages[1].evaluate("void window.open()")
    page = opened.value
    page.add_init_script(SEEDED + AWAITED)
    page.set_default_timeout(PATIENCE * 1000)
    faults: list[str] = []
    # Who leaves a page in a test means it, also where something is still being saved.
    page.on("dialog", _go_on)
    page.on("pageerror", lambda error: faults.append(str(error)))
    yield page
    page.unroute_all(behavior="ignoreErrors")
    for other in window.pages[2:]:
        other.close()
    window.clear_cookies()
    assert not faults


@pytest.fixture
def page(signed_in: Page) -> Page:
    """A page in the library."""
    signed_in.goto("/")
    return signed_in


def _go_on(dialog: Dialog) -> None:
    with contextlib.suppress(PlaywrightError):  # The page may be gone by now.
        dialog.accept()


IDLE_LOOKS = 3


def wait_until_idle() -> None:
    """Until the server has done with the last requests of a page that is gone, which would be in the flush's way."""
    deadline, idle = time.monotonic() + PATIENCE, 0
    busy = "select count(*) from pg_stat_activity where datname = current_database() and state <> 'idle' and pid <> %s"
    while time.monotonic() < deadline:
        time.sleep(0.05)
        with connection.cursor() as cursor:
            cursor.execute("select pg_backend_pid()")
            cursor.execute(busy, cursor.fetchone())
            idle = idle + 1 if cursor.fetchone() == (0,) else 0
            # Between two questions of one request the database is idle, too.
            if idle == IDLE_LOOKS:
                return


@pytest.fixture
def desk(signed_in: Page, player: User) -> Desk:
    return Desk(signed_in, player)
