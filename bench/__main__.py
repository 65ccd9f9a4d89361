"""`./lull bench`: all measurements in one run, each beside its floor or its budget."""

import os

import psycopg

from launcher.install import chromium
from launcher.postgres import free_port
from launcher.serving import CHROMIUM_FLAGS, serving

DATABASE = "lull_bench"


def fresh_database() -> str:
    """A database of the bench's own, empty."""
    base = os.environ["DATABASE_URL"].rsplit("/", 1)[0]
    with psycopg.connect(f"{base}/postgres", autocommit=True) as link:
        link.execute(f"drop database if exists {DATABASE}")
        link.execute(f"create database {DATABASE}")
    return f"{base}/{DATABASE}"


def main() -> None:
    os.environ["DATABASE_URL"] = fresh_database()
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
    import django
    from django.core.management import call_command

    django.setup()
    call_command("migrate", verbosity=0)

    from django.contrib.auth.models import User
    from playwright.sync_api import sync_playwright

    from bench import browser, core
    from bench.performance import performance
    from studio.pages import link_token
    from studio.services import takes

    data = performance(notes=20_000, pedals=40_000)
    core.reading(data)
    core.folding(data)
    core.first_view(data)

    user = User.objects.create_user("bench")
    take = takes.add(user, "Long take.mid", data)
    port = free_port()
    with serving(port, os.environ), sync_playwright() as playwright:
        chrome = playwright.chromium.launch(executable_path=str(chromium()), args=CHROMIUM_FLAGS)
        page = chrome.new_page(viewport={"width": 1280, "height": 800}, base_url=f"http://127.0.0.1:{port}")
        page.goto(f"/enter/{link_token(user.pk)}")
        browser.opening(page, "Long take")
        browser.frames(page)
        page.goto("/")
        browser.previews(page, str(take.pk), (200, 2_000, 20_000))
        chrome.close()


if __name__ == "__main__":
    main()
