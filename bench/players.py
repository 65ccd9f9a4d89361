"""`./lull bench --players N`: many at once, on all that serves Lull, and more takes than anybody has open at a time."""

import itertools
import os
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path

from bench.client import Player, session
from bench.performance import performance
from launcher.base import PYTHON
from launcher.fleet import environment, fleet
from launcher.postgres import free_port
from launcher.supervision import Member, Supervisor, supervised

RATE = 10
"""Previews a second of each player."""
SECONDS = 20
NOTES = 2_000
MANY, MANY_NOTES, ROUNDS = 100, 20_000, 3
HANDS = 2
"""Who goes through the many takes at a time."""
STROKE = {"kind": "velocity.nudge", "where": {"span": [0, 61_440]}, "by": 3}
BUDGETS = {"previews": 0.1, "in turn": 0.25, "MiB": 1536}


@contextmanager
def served() -> Iterator[tuple[int, Supervisor]]:
    """All that serves Lull, on a port of its own."""
    port = free_port()
    with supervised(fleet(port, PYTHON), environment(port, os.environ)) as supervisor:
        yield port, supervisor


def weight(supervisor: Supervisor) -> float:
    """MiB of all their processes and of those beside them; what they share is counted once."""
    pids = set(supervisor.pids())
    total = 0
    for folder in Path("/proc").iterdir():
        if not folder.name.isdecimal():
            continue
        try:
            parent = int((folder / "stat").read_text().rsplit(")", 1)[1].split()[1])
            if int(folder.name) in pids or parent in pids:
                total += next(
                    int(line.split()[1])
                    for line in (folder / "smaps_rollup").read_text().splitlines()
                    if line.startswith("Pss:")
                )
        except (OSError, StopIteration):
            continue
    return total / 1024


def servers_of(members: list[Member]) -> list[Member]:
    """Those that answer."""
    return [member for member in members if member.name.startswith(("server", "the server"))]


def told(name: str, seconds: list[float], budget: float | None = None, floor: float | None = None) -> None:
    """The spread of some durations, in a line."""
    ordered = sorted(seconds)
    middle, slow, last = (ordered[min(int(len(ordered) * share), len(ordered) - 1)] for share in (0.5, 0.95, 1))
    held = f"; budget {budget * 1000:.0f} ms: {'held' if slow <= budget else 'MISSED'}" if budget else ""
    beside = f"; {slow / floor:.1f} times the floor" if floor else ""
    print(
        f"{name}: {len(ordered):,} answers, median {middle * 1000:.1f} ms, 95% {slow * 1000:.1f} ms, "
        f"longest {last * 1000:.0f} ms{beside}{held}",
        flush=True,
    )


def slowest(seconds: list[float]) -> float:
    """The 95th percentile."""
    return sorted(seconds)[int(len(seconds) * 0.95)]


def paced(players: list[Player], ask: Callable[[int, Player], object], seconds: float) -> list[float]:
    """Every player asks ten times a second; what comes late counts from when it was to be asked."""
    taken: list[float] = []

    def play(number: int) -> None:
        begun = time.perf_counter() + number / len(players) / RATE
        for turn in itertools.count():
            due = begun + turn / RATE
            if due > begun + seconds:
                return
            time.sleep(max(due - time.perf_counter(), 0))
            ask(number, players[number])
            taken.append(time.perf_counter() - due)

    _together(play, len(players))
    return taken


def _together(play: Callable[[int], None], count: int) -> None:
    with ThreadPoolExecutor(count) as hands:
        list(hands.map(play, range(count)))


def measured(count: int) -> None:
    """All of it, each beside its floor and its budget."""
    from django.contrib.auth.models import User
    from django.db import connections

    from studio.services import takes

    users = [User.objects.create_user(f"player{number}") for number in range(count)]
    keys = [session(user) for user in users]
    mine = [
        str(takes.add(user, "Line.mid", performance(NOTES, 500, 1, seed=number)).pk)
        for number, user in enumerate(users)
    ]
    files = [performance(MANY_NOTES, 4_000, 2, seed=number) for number in range(5)]
    many = [str(takes.add(users[0], f"{number}.mid", files[number % 5]).pk) for number in range(MANY)]
    connections.close_all()
    with served() as (port, supervisor):
        players = [Player(port, key) for key in keys]

        def previewed(player: Player, take: str, by: int) -> None:
            body = {"revision": 0, "stroke": {**STROKE, "by": by}, "part": 0, "sight": [0, 61_440]}
            answer = player.call("POST", f"/api/takes/{take}/preview", body)
            if answer.status != 200:
                raise RuntimeError(f"a preview was answered with {answer.status}: {answer.body[:200]!r}")

        serve = len(servers_of(supervisor.members))
        print(f"--- {count} players, {RATE} a second each, takes of {NOTES:,} notes; {serve} processes serve")
        nothing = lambda _, player: player.call("GET", "/api/ping")  # noqa: E731
        paced(players, nothing, 3)
        floor = paced(players, nothing, SECONDS / 2)
        told("nothing at all (the floor)", floor)
        paced(players, lambda number, player: previewed(player, mine[number], 1), 2)
        turns = itertools.count()
        seconds = paced(players, lambda number, player: previewed(player, mine[number], 1 + next(turns) % 9), SECONDS)
        told("previews", seconds, BUDGETS["previews"], slowest(floor))

        print(f"--- {MANY} takes of {MANY_NOTES:,} notes in turn, {HANDS} at a time, {ROUNDS} times round")
        hands = [Player(port, keys[0]) for _ in range(HANDS)]
        for turn in range(ROUNDS + 1):
            taken: list[float] = []

            def go(number: int, taken: list[float] = taken, turn: int = turn) -> None:
                for take in many[number::HANDS]:
                    begun = time.perf_counter()
                    previewed(hands[number], take, 1 + turn)
                    taken.append(time.perf_counter() - begun)

            _together(go, HANDS)
            if turn == 0:
                told("  opened for the first time, from the files", taken)
                begun = time.perf_counter()
                _quiet()
                print(f"  put away by the worker within {time.perf_counter() - begun:.0f} s")
            else:
                told(f"  round {turn}", taken, BUDGETS["in turn"])
        _restarted(supervisor, many, keys[0], port, previewed)
        held = weight(supervisor)
        is_held = "held" if held <= BUDGETS["MiB"] else "MISSED"
        print(f"memory of all processes: {held:,.0f} MiB; budget {BUDGETS['MiB']:,} MiB: {is_held}")


def _quiet() -> None:
    """Until the worker has put away what it was asked to."""
    from django.db import connection

    for _ in range(240):
        with connection.cursor() as cursor:
            cursor.execute("select count(*) from procrastinate_jobs where status in ('todo', 'doing')")
            if cursor.fetchone() == (0,):
                return
        time.sleep(0.5)


def _restarted(
    supervisor: Supervisor, many: list[str], key: str, port: int, previewed: Callable[[Player, str, int], None]
) -> None:
    """New processes, with nothing in memory: each take is taken up from its checkpoint."""
    supervisor.restart(*servers_of(supervisor.members))
    supervisor.await_all()
    time.sleep(3)  # The proxy has seen that they are there again.
    player, taken = Player(port, key), []
    for take in many:
        begun = time.perf_counter()
        previewed(player, take, 9)
        taken.append(time.perf_counter() - begun)
    told("  by new processes, from checkpoints", taken, BUDGETS["in turn"])
