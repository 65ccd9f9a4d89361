"""`./lull bench`: all measurements in one run, each beside its floor or its budget.

`./lull bench --judge MINUTES` holds every kind of stroke before the judge for so long instead; `--players N` has so
many play at once; `--harm MINUTES` has so long everything go wrong that can; `--mutants N` puts so many small faults
into the core and tells how many of them the tests see.
"""

import argparse
import itertools
import os
import re
import time
from pathlib import Path

import psycopg

from launcher.install import chromium
from launcher.postgres import free_port
from launcher.serving import CHROMIUM_FLAGS, serving

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
    parser.add_argument("--record", type=float, metavar="MINUTES", help="play in and out for so long")
    parser.add_argument("--players", type=int, metavar="N", help="many players at once, and many takes")
    parser.add_argument("--harm", type=float, metavar="MINUTES", help="mutated files and calls, slow clients, kills")
    options = parser.parse_args()
    if options.judge is not None:
        judged(options.judge, options.seed)
        return
    if options.mutants is not None:
        from bench import mutants

        mutants.tried(options.mutants, options.seed)
        return
    prepare()
    if options.record is not None:
        recorded(60 * options.record)
    elif options.players is not None:
        from bench import players

        players.measured(options.players)
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

    from bench import browser, core, sessions
    from bench.performance import leaned, performance, progression, swelling, wheel
    from studio.services import takes
    from studio.signing_in import link_token

    data = performance(notes=20_000, pedals=40_000)
    core.reading(data)
    core.folding(data)
    core.first_view(data)
    moved = wheel(nodes=40_000)
    core.distilling(moved)
    core.emitting(moved)
    core.receiving(data)
    core.zoning()
    core.pedalling()
    core.noting()
    core.starting()

    user = User.objects.create_user("bench")
    sessions.asking(user)
    take = takes.add(user, "Long take.mid", data)
    others = {
        "Two hours": takes.add(user, "Two hours.mid", performance(notes=25_000, pedals=43_000, tempo=45)),
        "Fourteen parts": takes.add(user, "Fourteen parts.mid", performance(notes=6_000, pedals=5_000, parts=14)),
        "Swelling": takes.add(user, "Swelling.mid", swelling()),
    }
    wide = takes.add(user, "Wide.mid", performance(notes=20_000, pedals=2_000, parts=14))
    lane = takes.add(user, "Wheel.mid", moved)
    bent = takes.add(user, "Bent.mid", wheel(nodes=40_000, bends=True))
    line = takes.add(user, "Line.mid", performance(notes=2_000, pedals=0, parts=1))
    pad = takes.add(user, "Pad.mid", leaned())
    chords = takes.add(user, "Chords.mid", progression())
    pedalled = takes.add(user, "Pedalled.mid", performance(notes=10_000, pedals=17_000, parts=1))
    many = takes.add(user, "Many.mid", performance(notes=20_000, pedals=4_000, parts=1))
    chordal = takes.add(user, "Chordal.mid", swelling(chords=10_000, waves=0))
    takes.add(user, "Two parts.mid", performance(notes=600, pedals=100, parts=2))
    port = free_port()
    with serving(port, os.environ) as server, sync_playwright() as playwright:
        chrome = playwright.chromium.launch(executable_path=str(chromium()), args=CHROMIUM_FLAGS)
        page = chrome.new_page(viewport={"width": 1280, "height": 800}, base_url=f"http://127.0.0.1:{port}")
        page.goto(f"/enter/{link_token(user)}")
        page.wait_for_url("/")
        browser.opening(page, "Long take")
        browser.frames(page)
        page.goto("/")
        browser.previews(page, str(take.pk), (200, 2_000, 20_000))
        browser.shapes(page, str(take.pk))
        print(f"--- {wide.summary['notes']:,} notes in 14 parts, all of them chosen")
        browser.gestures(page, str(wide.pk))
        print("--- a lane of 40,000 recorded nodes, all of it framed")
        browser.grips(page, str(lane.pk))
        print("--- the wheel: over 2,000 notes, then all of a lane of 40,000 recorded nodes")
        browser.bends(page, str(line.pk), str(bent.pk))
        print("--- curves of 2,000 notes, 60,000 nodes; then 64 chords of four that glide")
        browser.own(page, str(pad.pk), str(chords.pk))
        print("--- the pedal of 10,000 notes")
        browser.pedals(page, str(pedalled.pk))
        print("--- 20,000 notes of one part, all of them chosen")
        browser.notes(page, str(many.pk), str(chordal.pk))
        browser.opening(page, "Two parts")
        browser.engraving(page)
        page.goto("/")
        browser.opening(page, "Pad")
        browser.frames(page)
        page.goto("/")
        for name, other in others.items():
            summary = other.summary
            print(f"--- {name}: {summary['seconds'] / 60:.0f} minutes, {summary['notes']:,} notes")
            browser.opening(page, name)
            browser.frames(page)
            browser.asking(page, str(other.pk))
        print(f"--- memory of the server process with all of them open: {memory(server.pid):.0f} MiB")
        chrome.close()


if __name__ == "__main__":
    main()
