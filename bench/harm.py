"""`./lull bench --harm MINUTES`: all that serves Lull, while everything goes wrong that can.

Mutated files, sounds, archives and calls; clients that send by halves; guessers of passwords; and every process killed
again and again, with writes under way. What must hold: no 500, nothing lost that was acknowledged, memory within its
limit, and the page of somebody else answered within a second.
"""

import hashlib
import io
import itertools
import json
import os
import random
import signal
import socket
import threading
import time
import zipfile
from collections import Counter, defaultdict
from collections.abc import Callable
from pathlib import Path
from typing import Any
from uuid import UUID

import numpy as np
import soundfile

from bench import trouble
from bench.client import Answer, Player, session
from bench.performance import performance, wheel
from bench.players import BUDGETS, told, weight
from expression.documents import Document
from launcher import postgres
from launcher.base import PYTHON
from launcher.fleet import environment, fleet
from launcher.postgres import free_port
from launcher.supervision import Member, Supervisor, supervised

PATIENT = 1.0
"""Seconds within which somebody else's page is to be answered."""
BETWEEN_KILLS = 12.0
AFTER_A_KILL = 10.0
"""Seconds in which an answer may be that Lull is starting again."""
STROKES: list[Document] = [
    {"kind": "velocity.set", "value": 64},
    {"kind": "velocity.hairpin", "where": {"span": [0, 7_680]}, "start": 30, "end": 90},
    {"kind": "lane.ramp", "lane": "cc:11", "where": {"parts": [0], "span": [0, 7_680]}, "start": 3, "end": 90},
    {"kind": "lane.smooth", "lane": "cc:64", "where": {"parts": [0]}},
    {"kind": "notes.move", "ticks": 240, "keys": 2, "where": {"notes": [[0, 40]]}},
    {"kind": "notes.length", "factor": 0.5, "where": {"notes": [[3, 60]]}},
    {"kind": "pedal.to_lengths"},
    {"kind": "bend.shake", "where": {"notes": [[0, 9]]}, "rate": 5, "depth": 40},
    {"kind": "notes.fill", "by": "semitone", "where": {"notes": [[0, 3]]}},
]
ODD: list[Any] = [
    None, True, False, -1, 0, 1e308, -1e308, 2**31, 2**63, 2**200, "", "x", "\0", "\ud800", [], {}, [[]], "9" * 999,
]  # fmt: skip


class Harm:
    """What happens, and what came of it."""

    def __init__(self, seed: int, port: int, supervisor: Supervisor, url: str) -> None:
        self.seed, self.port, self.supervisor, self.url = seed, port, supervisor, url
        self.over = threading.Event()
        self.killed_at = -AFTER_A_KILL
        self.counts: Counter[str] = Counter()
        self.faults: list[str] = []
        self.pages: list[float] = []
        self.late: dict[str, list[float]] = defaultdict(list)
        self.killed: Counter[str] = Counter()
        self.last_kill = "nothing"
        self.heaviest = 0.0
        self.kept: dict[str, str] = {}
        """Takes that were acknowledged, and the SHA-256 of their files."""
        self.written: dict[str, dict[int, int]] = defaultdict(dict)
        """Of the takes that are written to: what was acknowledged at which revision."""

    def dice(self, name: str) -> random.Random:
        """Dice of one's own, the same in each run."""
        return random.Random(f"{self.seed} {name}")

    def look(self, what: str, answer: Answer, sent: object = "") -> Answer:
        """Count an answer; one that must not come is a fault."""
        is_restarting = time.monotonic() - self.killed_at < AFTER_A_KILL
        self.counts[f"{what}: {answer.status}"] += 1
        # A disk that is full takes no file; who asks for large ones waits.
        may_wait = what in ("files", "sounds", "archives", "waits for a heavy answer")
        if answer.status == 500 or (answer.status in (0, 502, 503, 504) and not is_restarting and not may_wait):
            self.faults.append(f"{what}: {answer.status} {answer.body[:160]!r} to {str(sent)[:300]}")
        return answer

    # ---- those who mean well

    def watch(self, key: str, take: str) -> None:
        """Somebody who looks at a library and at a take, again and again."""
        player = Player(self.port, key, timeout=10)
        for path in itertools.cycle(("/api/takes", f"/api/takes/{take}/view", "/")):
            if self.over.wait(0.2):
                return
            begun, kill = time.monotonic(), self.killed_at
            while (answer := player.call("GET", path)).status != 200 and not self.over.is_set():
                if answer.status == 500:
                    self.look("page", answer, path)
                time.sleep(0.05)
            taken = time.monotonic() - begun
            self.counts["page: 200"] += 1
            near = self.killed_at if self.killed_at != kill or begun - kill < AFTER_A_KILL else None
            if near is None:
                self.pages.append(taken)
            else:
                self.late[self.last_kill].append(taken)

    def write(self, number: int, key: str, take: str) -> None:
        """Somebody who makes stroke after stroke; what was acknowledged is remembered."""
        player = Player(self.port, key, timeout=15)
        revision = 0
        for value in itertools.count(1):
            if self.over.wait(0.1):
                return
            stroke = {"kind": "velocity.set", "value": 1 + value % 127, "where": {"notes": [[value % 50, value % 50]]}}
            body = {"revision": revision, "stroke": stroke}
            answer = self.look("strokes", player.call("POST", f"/api/takes/{take}/strokes", body), body)
            if answer.status == 200:
                revision = answer.json["history"]["revision"]
                self.written[take][revision] = stroke["value"]  # type: ignore[assignment]
            elif answer.status == 409:
                revision = answer.json["history"]["revision"]

    # ---- those who do not

    def bring(self, name: str, key: str, take: str) -> None:
        """Files, sounds and archives that were damaged on the way; and some that were not."""
        dice, player = self.dice(name), Player(self.port, key, timeout=60)
        good = [performance(200, 80), performance(20_000, 2_000), wheel(400, 50, bends=True)]
        sounds = [_wav(dice.choice((8_000, 44_100)), seconds) for seconds in (0.2, 12)]
        archive = _archive(good[0])
        while not self.over.wait(0.05):
            kind = dice.random()
            if kind < 0.6:
                data = dice.choice(good)
                data = data if dice.random() < 0.2 else _mutated(data, dice)
                answer = self.look("files", player.file("/api/takes", data), data[:60])
                if answer.status in (201, 202):
                    number = self._settled(player, answer)
                    if number is not None:
                        self.kept[number] = hashlib.sha256(data).hexdigest()
                        if len(self.kept) > 40 or dice.random() < 0.8:
                            self._dropped(player, number)
            elif kind < 0.85:
                data = _mutated(dice.choice(sounds), dice)
                answer = self.look("sounds", player.file(f"/api/takes/{take}/sound", data, "a.wav"), data[:60])
                self._settled(player, answer)
            else:
                self._archive(player, _mutated(archive, dice))

    def _archive(self, player: Player, data: bytes) -> None:
        begun = self.look("archives", player.call("POST", "/api/archives", {"name": "a.zip", "size": len(data)}))
        if begun.status == 201:
            path = f"/api/archives/{begun.json['id']}?at=0"
            self._settled(player, self.look("archives", player.file(path, data), data[:60]))

    def _settled(self, player: Player, answer: Answer) -> str | None:
        """The take that came of what was sent; None where none did."""
        if answer.status == 201 and "looks_zoned" in answer.json:
            return str(answer.json["id"])
        if answer.status not in (200, 202):
            return None
        number = answer.json["id"]
        while not self.over.wait(0.3):
            told = player.call("GET", f"/api/jobs/{number}")
            if told.status == 200 and told.json["state"] in ("done", "refused"):
                job = told.json
                self.counts[f"jobs: {job['state']}"] += 1
                if "went wrong" in job["says"] or "was given up" in job["says"]:
                    self.faults.append(f"job: {job['kind']} {job['says']}")
                return job["take_id"] if job["kind"] == "take" else None
        return None

    def _dropped(self, player: Player, number: str) -> None:
        """Taken out of the library again, which an answer may not tell for certain."""
        self.kept.pop(number)
        player.call("DELETE", f"/api/takes/{number}")

    def call(self, name: str, key: str, take: str) -> None:
        """Calls with something in them that does not belong there."""
        dice, player = self.dice(name), Player(self.port, key, timeout=30)
        while not self.over.wait(0.02):
            body = {"revision": 0, "stroke": _odd(dice.choice(STROKES), dice), "part": 0, "sight": [0, 9_600]}
            path = dice.choice(("preview", "rehearse", "facts", "select", "strokes", "undo", "jump", "arrangement"))
            if dice.random() < 0.3:
                body = _odd(body, dice)
            method = "PUT" if path == "arrangement" else "POST"
            self.look("calls", player.call(method, f"/api/takes/{take}/{path}", body), (path, body))
            asked = dice.choice(("messages", "events", "page", "lanes", "proof", "parts", "before"))
            names = ("start", "end", "first", "count", "width", "parts", "of", "part", "before", "kinds")
            values = ("-1", "0", "3", "1e9", "nan", "99999999999999999999", "%00", "a,b", "")
            query = "&".join(f"{dice.choice(names)}={dice.choice(values)}" for _ in range(3))
            self.look("calls", player.call("GET", f"/api/takes/{take}/{asked}?{query}"), (asked, query))

    def halves(self) -> None:
        """A hundred who send by halves and stay; others who send what is no request."""
        dice = self.dice("halves")
        while not self.over.is_set():
            lines = []
            for _ in range(100):
                try:
                    line = socket.create_connection(("127.0.0.1", self.port), 2)
                    line.sendall(dice.choice(HALVES))
                    lines.append(line)
                except OSError:
                    continue
            self.counts["half-sent requests"] += len(lines)
            self.over.wait(4)
            for line in lines:
                line.close()

    def guess(self) -> None:
        """Passwords, one after another."""
        player = Player(self.port, "nobody", timeout=30)
        for number in itertools.count():
            if self.over.wait(0.1):
                return
            body = {"name": f"player{number % 5}", "password": f"guess {number}"}
            self.look("guesses", player.call("POST", "/api/session", body))

    def export(self, key: str, take: str) -> None:
        """Somebody who asks for nothing but large files, three at a time."""

        def ask(first: int) -> None:
            player = Player(self.port, key, timeout=200)
            for path in itertools.islice(itertools.cycle(trouble.HEAVY), first, None):
                if self.over.is_set():
                    return
                answer = player.call("GET", f"/api/takes/{take}/{path}")
                # Told to wait is what it should be, where others are being made.
                self.look("waits for a heavy answer" if answer.status == 503 else "heavy", answer, path)
                if answer.status in (0, 503):
                    self.over.wait(0.2)

        threads = [threading.Thread(target=ask, args=(first,)) for first in range(3)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()

    def sign_in(self) -> None:
        """Everybody at once, again and again, while passwords are guessed."""
        names = [f"player{number % 6}" for number in range(trouble.SIGN_INS)]
        browsers = [trouble.Known(self.port, name, "a long enough one") for name in names]
        while not self.over.is_set():
            kill = self.killed_at
            for status, seconds in trouble.all_at_once(browsers):
                self.counts[f"sign-ins: {status}"] += 1
                self.late["everybody signing in at once"].append(seconds)
                if status != 200 and self.killed_at == kill:
                    self.faults.append(f"sign-in: {status} after {seconds:.0f} s")
            self.over.wait(15)

    def fill(self, key: str, folder: Path | None) -> None:
        """A disk that is full for a moment."""
        player, data = Player(self.port, key, timeout=60), performance(20_000, 2_000)
        while folder is not None and not self.over.wait(20):
            kill = self.killed_at
            for what, answer in trouble.filled(folder, data, player, self.over):
                self.counts[f"{what}: {answer.status}"] += 1
                expected = (503, 201, 202) if what == "full disk" else (201, 202)
                near = self.killed_at != kill or time.monotonic() - kill < 2 * AFTER_A_KILL
                if answer.status not in expected and not near:
                    self.faults.append(f"{what}: {answer.status} {answer.body[:160]!r}")
                if answer.status in (201, 202) and (number := self._settled(player, answer)):
                    player.call("DELETE", f"/api/takes/{number}")

    def kill(self) -> None:
        """One process after another, and now and then all of them."""
        dice = self.dice("kill")
        while not self.over.wait(BETWEEN_KILLS):
            named = {member.name: member for member in self.supervisor.members}
            database = ("a connection of the database", "the database", "all connections of the database")
            name = dice.choice([*named, *database, "all of them"])
            self.last_kill, self.killed_at = name, time.monotonic()
            self.killed[name] += 1
            if name in named:
                self._kill(named[name])
            elif name == "all of them":
                self._kill(*self.supervisor.members)
            elif name == "all connections of the database":
                self.counts["connections used up"] += trouble.used_up(self.url, self.over)
                self.killed_at = time.monotonic()
            else:
                _kill_database(self.url, all_of_it=name == "the database")

    def _kill(self, *members: Member) -> None:
        for member in members:
            if pid := self.supervisor.pid(member):
                os.kill(pid, signal.SIGKILL)

    def weigh(self) -> None:
        """How much memory all of it takes."""
        while not self.over.wait(3):
            self.heaviest = max(self.heaviest, weight(self.supervisor))


HALVES = [
    b"POST /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nContent-Length: 500\r\n\r\n{",
    b"GET /api/me HTTP/1.1\r\nHost: 127.0.0.1\r\n",
    b"POST /api/takes HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: multipart/form-data; boundary=b\r\n"
    b"Content-Length: 100000000\r\n\r\n--b\r\n",
    b"GET / HTTP/1.1\r\nHost: elsewhere\r\nCookie: sessionid=\x00\x01\xff\r\n\r\n",
    b"\x16\x03\x01\x02\x00\x01\x00\x01\xfc\x03\x03",
    b"PRI * HTTP/2.0\r\n\r\nSM\r\n\r\n",
]


def _kill_database(url: str, all_of_it: bool) -> None:
    cluster = postgres.Cluster()
    try:
        master = int((cluster.data / "postmaster.pid").read_text().split()[0])
        if all_of_it:
            os.kill(master, signal.SIGKILL)
            return
        children = [int(pid) for pid in open(f"/proc/{master}/task/{master}/children").read().split()]  # noqa: SIM115, PTH123
        os.kill(children[-1], signal.SIGKILL)
    except (OSError, ValueError, IndexError):
        return


def _mutated(data: bytes, dice: random.Random) -> bytes:
    """Bytes changed, cut out, doubled, put in; or the end cut off."""
    made = bytearray(data)
    for _ in range(dice.choice((1, 1, 2, 5, 40))):
        at = dice.randrange(len(made)) if dice.random() < 0.6 else dice.randrange(min(len(made), 64))
        kind = dice.random()
        if kind < 0.5:
            made[at] = dice.choice((0, 0x7F, 0x80, 0xFF, dice.randrange(256)))
        elif kind < 0.65:
            del made[at : at + dice.randrange(1, 64)]
        elif kind < 0.8:
            made[at:at] = made[at : at + dice.randrange(1, 64)]
        elif kind < 0.95:
            made[at : at + 4] = dice.randbytes(4)
        else:
            del made[at:]
        made = made or bytearray(b"\0")
    return bytes(made)


def _odd(value: object, dice: random.Random) -> Any:
    """The same with something odd at one place of it."""
    made = json.loads(json.dumps(value))
    place = made
    while isinstance(place, (dict, list)) and place:
        key = dice.choice(list(place)) if isinstance(place, dict) else dice.randrange(len(place))
        if not isinstance(place[key], (dict, list)) or not place[key] or dice.random() < 0.3:
            place[key] = dice.choice(ODD)
            break
        place = place[key]
    return made


def _wav(rate: int, seconds: float) -> bytes:
    out = io.BytesIO()
    soundfile.write(out, 0.4 * np.sin(np.arange(int(rate * seconds)) / 20), rate, format="WAV")
    return out.getvalue()


def _archive(recording: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("archive.json", json.dumps({"format": "lull-archive", "version": 1}))
        steps = [{"number": number, "stroke": stroke} for number, stroke in enumerate(STROKES, 1)]
        for number in range(3):
            take = {"name": f"take {number}", "done": len(steps), "steps": steps}
            archive.writestr(f"takes/{number:04}/take.json", json.dumps(take))
            archive.writestr(f"takes/{number:04}/recording.mid", recording)
    return out.getvalue()


def done(minutes: float, seed: int) -> None:
    """All of it for so long; then what came of it, and an exit code of 1 where something must not have."""
    from django.contrib.auth.models import User
    from django.db import connection, connections

    from studio.services import takes

    url = os.environ["DATABASE_URL"]
    users = [User.objects.create_user(f"player{number}", password="a long enough one") for number in range(6)]
    keys = [session(user) for user in users]
    mine = [str(takes.add(user, "Mine.mid", performance(2_000, 500, 1, seed=n)).pk) for n, user in enumerate(users)]
    connections.close_all()
    port = free_port()
    with (
        trouble.small_disk() as disk,
        supervised(fleet(port, PYTHON), environment(port, trouble.spool_of(disk))) as supervisor,
    ):
        if disk is None:
            print("no disk of its own could be made for this (only root can): none is filled")
        harm = Harm(seed, port, supervisor, url)
        keeper = threading.Thread(target=_kept, args=(harm,), daemon=True)
        keeper.start()
        _go_wrong(harm, keys, mine, minutes, disk)
        keeper.join(60)
    connection.close()
    postgres.revive_own(url)
    _lost(harm)
    _told(harm, minutes)


def _go_wrong(harm: Harm, keys: list[str], mine: list[str], minutes: float, disk: Path | None) -> None:
    for key, take in zip(keys * 2, mine * 2, strict=True):
        Player(harm.port, key).call("GET", f"/api/takes/{take}/view")
    work: list[tuple[Callable[..., None], tuple[object, ...]]] = [
        (harm.watch, (keys[0], mine[0])),
        (harm.write, (0, keys[1], mine[1])),
        (harm.write, (1, keys[2], mine[2])),
        (harm.bring, ("bring 1", keys[3], mine[3])),
        (harm.bring, ("bring 2", keys[4], mine[4])),
        (harm.call, ("call", keys[5], mine[5])),
        (harm.halves, ()),
        (harm.guess, ()),
        (harm.export, (keys[4], mine[4])),
        (harm.sign_in, ()),
        (harm.fill, (keys[3], disk)),
        (harm.kill, ()),
        (harm.weigh, ()),
    ]
    threads = [threading.Thread(target=act, args=given, name=act.__name__) for act, given in work]
    for thread in threads:
        thread.start()
    ends = time.monotonic() + minutes * 60
    while time.monotonic() < ends:
        time.sleep(1)
        if dead := [thread.name for thread in threads if not thread.is_alive()]:
            harm.faults.append(f"the bench itself: {', '.join(dead)} ended")
            break
    harm.over.set()
    for thread in threads:
        thread.join(90)


def _kept(harm: Harm) -> None:
    """The database, and what looks after all else, are there again soon."""
    while not harm.over.wait(0.2):
        postgres.revive_own(harm.url)
        harm.supervisor.look_after()


def _lost(harm: Harm) -> None:
    """What was acknowledged and is not there."""
    from studio.models import Step, Take

    for number, digest in harm.kept.items():
        take = Take.objects.filter(pk=UUID(number)).first()
        if take is None or hashlib.sha256(bytes(take.source)).hexdigest() != digest:
            harm.faults.append(f"lost: the recording {number}")
    for number, values in harm.written.items():
        take = Take.objects.get(pk=UUID(number))
        steps = dict(Step.objects.filter(take=take).values_list("position", "stroke"))
        lost = [at for at, value in values.items() if steps.get(at - 1, {}).get("value") != value]
        if lost or take.done != len(steps) or set(steps) != set(range(len(steps))):
            harm.faults.append(f"lost: {len(lost)} strokes of {len(values)} on {number}")
        harm.counts["strokes acknowledged and found"] += len(values) - len(lost)


def _told(harm: Harm, minutes: float) -> None:
    print(f"--- {minutes:g} minutes of harm, seed {harm.seed}; killed: {dict(harm.killed)}")
    for what, count in sorted(harm.counts.items()):
        print(f"  {what}: {count:,}")
    told("the page of another player, from when it was asked", harm.pages)
    for name, seconds in sorted(harm.late.items()):
        told(f"  within {AFTER_A_KILL:g} s of the end of {name}, asked until answered", seconds)
    slow = [seconds for seconds in harm.pages if seconds > PATIENT]
    if slow:
        harm.faults.append(f"late: {len(slow)} of {len(harm.pages)} pages took more than {PATIENT:g} s")
    if harm.heaviest > BUDGETS["MiB"]:
        harm.faults.append(f"memory: {harm.heaviest:,.0f} MiB")
    print(f"memory of all processes: {harm.heaviest:,.0f} MiB at most; recordings kept and checked: {len(harm.kept)}")
    print(f"{len(harm.faults)} faults")
    for fault in harm.faults[:40]:
        print(f"  {fault}")
    if harm.faults:
        raise SystemExit(1)
