"""`./lull bench`: all measurements in one run, each beside its floor or its budget.

`./lull bench --judge MINUTES` holds every kind of stroke before the judge for so long instead; `--played FOLDER` holds
rules and hands against the performances of a folder, `--stiff FOLDER` the check-up; `--players N` has so
many play at once; `--harm MINUTES` has so long everything go wrong that can; `--mutants N` puts so many small faults
into the core and tells how many of them the tests see.
"""

import argparse
import itertools
import os
import re
import time
from pathlib import Path
from typing import TYPE_CHECKING

import psycopg

from launcher.install import chromium
from launcher.postgres import free_port
from launcher.serving import CHROMIUM_FLAGS, serving

if TYPE_CHECKING:
    from django.contrib.auth.models import User
    from playwright.sync_api import Page

    from studio.models import Take

DATABASE = "lull_bench"


def fresh_database() -> str:
    """A database of the bench's own, empty."""
    base = os.environ["DATABASE_URL"].rsplit("/", 1)[0]
    with psycopg.connect(f"{base}/postgres", autocommit=True) as link:
        link.execute(f"drop database if exists {DATABASE} with (force)")
        link.execute(f"create database {DATABASE}")
    return f"{base}/{DATABASE}"


def memory(pid: int) -> float:
    """Resident memory of a process in MiB."""
    status = Path(f"/proc/{pid}/status").read_text()
    return int(re.search(r"VmRSS:\s+(\d+) kB", status)[1]) / 1024  # type: ignore[index]


def main() -> None:
    parser = argparse.ArgumentParser(prog="./lull bench")
    parser.add_argument("--judge", type=float, metavar="MINUTES", help="judge random strokes on random takes")
    parser.add_argument("--seed", type=int, default=1_000_000, help="where the judge begins")
    parser.add_argument("--mutants", type=int, metavar="N", help="small faults in the core: does a test see them?")
    parser.add_argument("--played", type=Path, metavar="FOLDER", help="rules and hands against performances")
    parser.add_argument("--stiff", type=Path, metavar="FOLDER", help="what the check-up finds in performances")
    parser.add_argument("--journeys", action="store_true", help="fourteen tasks: their steps, and the page's seconds")
    parser.add_argument("--record", type=float, metavar="MINUTES", help="play in and out for so long")
    parser.add_argument("--players", type=int, metavar="N", help="many players at once, and many takes")
    parser.add_argument("--machines", type=int, metavar="N", help="several machines on one database and one bucket")
    parser.add_argument("--harm", type=float, metavar="MINUTES", help="mutated files and calls, slow clients, kills")
    options = parser.parse_args()
    if options.judge is not None:
        judged(options.judge, options.seed)
        return
    if options.mutants is not None:
        from bench import mutants

        mutants.tried(options.mutants, options.seed)
        return
    if options.played is not None:
        from bench import played

        played.measured(options.played)
        return
    if options.stiff is not None:
        from bench import stiff

        stiff.measured(options.stiff)
        return
    prepare()
    if options.journeys:
        from bench import journeys

        journeys.walked()
    elif options.record is not None:
        recorded(60 * options.record)
    elif options.players is not None:
        from bench import players

        players.measured(options.players)
    elif options.machines is not None:
        from bench import machines

        machines.measured(options.machines)
    elif options.harm is not None:
        from bench import harm

        harm.done(options.harm, options.seed)
    else:
        measured()


def prepare() -> None:
    """An empty database, and Django on it."""
    os.environ["DATABASE_URL"] = fresh_database()
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
    import django
    from django.core.management import call_command

    django.setup()
    call_command("migrate", verbosity=0)


def judged(minutes: float, seed: int) -> None:
    """Every kind in turn, seed after seed, until the time is over."""
    from expression.strokes import KINDS
    from tests.judge import Judge

    judge, until = Judge(), time.monotonic() + 60 * minutes
    for number in itertools.count(seed):
        for kind in sorted(KINDS):
            judge.case(number, kind)
        if time.monotonic() > until:
            break
    print(judge.table())
    for verdict in judge.verdicts.values():
        for fault in verdict.faults[:5]:
            print(f"  {fault}")


def recorded(seconds: float) -> None:
    """Playing in and out."""
    from django.contrib.auth.models import User
    from playwright.sync_api import sync_playwright

    from bench import recording
    from bench.performance import crowded, performance
    from studio.services import takes
    from studio.signing_in import link_token

    user = User.objects.create_user("bench")
    take = takes.add(user, "Line.mid", performance(notes=2_000, pedals=0, parts=1))
    dense = takes.add(user, "Crowd.mid", crowded())
    port = free_port()
    with serving(port, os.environ), sync_playwright() as playwright:
        chrome = playwright.chromium.launch(executable_path=str(chromium()), args=CHROMIUM_FLAGS)
        page = chrome.new_page(viewport={"width": 1280, "height": 800}, base_url=f"http://127.0.0.1:{port}")
        page.goto(f"/enter/{link_token(user)}")
        page.wait_for_url("/")
        recording.pieces(page, str(take.pk))
        recording.flood(page, str(take.pk), seconds)
        recording.output(page, str(dense.pk), min(seconds, 60))
        chrome.close()


def measured() -> None:
    """All that has a budget."""
    from django.contrib.auth.models import User
    from playwright.sync_api import sync_playwright

    from bench import sessions
    from bench.performance import performance, wheel
    from studio.signing_in import link_token

    data, moved = performance(notes=20_000, pedals=40_000), wheel(nodes=40_000)
    in_the_core(data, moved)
    user = User.objects.create_user("bench")
    sessions.asking(user)
    takes = library(user, data, moved)
    port = free_port()
    with serving(port, os.environ) as server, sync_playwright() as playwright:
        chrome = playwright.chromium.launch(executable_path=str(chromium()), args=CHROMIUM_FLAGS)
        page = chrome.new_page(viewport={"width": 1280, "height": 800}, base_url=f"http://127.0.0.1:{port}")
        page.goto(f"/enter/{link_token(user)}")
        page.wait_for_url("/")
        in_the_browser(page, takes)
        print(f"--- memory of the server process with all of them open: {memory(server.pid):.0f} MiB")
        chrome.close()


def in_the_core(data: bytes, moved: bytes) -> None:
    """A performance, and one in which the wheel is moved."""
    from bench import core

    core.reading(data)
    core.folding(data)
    core.first_view(data)
    core.distilling(moved)
    core.emitting(moved)
    core.receiving(data)
    core.zoning()
    core.pedalling()
    core.noting()
    core.playing()
    core.starting()


def library(user: "User", data: bytes, moved: bytes) -> dict[str, "Take"]:
    """Takes by their names, each of which strains something else."""
    from bench.performance import leaned, performance, progression, swelling, wheel
    from studio.services import takes

    files = {
        "Long take": data,
        "Two hours": performance(notes=25_000, pedals=43_000, tempo=45),
        "Fourteen parts": performance(notes=6_000, pedals=5_000, parts=14),
        "Swelling": swelling(),
        "Wide": performance(notes=20_000, pedals=2_000, parts=14),
        "Wheel": moved,
        "Bent": wheel(nodes=40_000, bends=True),
        "Line": performance(notes=2_000, pedals=0, parts=1),
        "Pad": leaned(),
        "Chords": progression(),
        "Pedalled": performance(notes=10_000, pedals=17_000, parts=1),
        "Many": performance(notes=20_000, pedals=4_000, parts=1),
        "Chordal": swelling(chords=10_000, waves=0),
        "Two parts": performance(notes=600, pedals=100, parts=2),
    }
    return {name: takes.add(user, f"{name}.mid", file) for name, file in files.items()}


def in_the_browser(page: "Page", takes: dict[str, "Take"]) -> None:
    from bench import browser, gestures

    ids = {name: str(take.pk) for name, take in takes.items()}
    browser.opening(page, "Long take")
    browser.frames(page)
    page.goto("/")
    gestures.measure(page, ids)
    browser.opening(page, "Two parts")
    browser.engraving(page)
    page.goto("/")
    browser.opening(page, "Pad")
    browser.frames(page)
    page.goto("/")
    for name in ("Two hours", "Fourteen parts", "Swelling"):
        summary = takes[name].summary
        print(f"--- {name}: {summary['seconds'] / 60:.0f} minutes, {summary['notes']:,} notes")
        browser.opening(page, name)
        browser.frames(page)
        browser.asking(page, ids[name])


if __name__ == "__main__":
    main()
