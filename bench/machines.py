"""`./lull bench --machines N`: several machines on one database and one bucket, with servers and workers of their own.

They are processes of one machine here, and share nothing but what machines would share: the database, a bucket (a
stand-in that speaks S3) and a proxy before all of them. Printed: whether anything is lost on the way between them,
while the workers of one of them are killed.
"""

import logging
import os
import signal
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

from bench.client import Player, session
from bench.performance import performance
from bench.players import STROKE, told
from launcher.base import PYTHON
from launcher.fleet import environment, fleet
from launcher.postgres import HOST, free_port
from launcher.proxying import Behind, proxy, proxy_settings
from launcher.supervision import Member, Supervisor, supervised

FILES, NOTES, ROUNDS = 10, 20_000, 3
PIECE = 1 << 20
BUCKET = "waiting"
LONGEST_JOB = 120.0


@contextmanager
def bucket() -> Iterator[dict[str, str]]:
    """A bucket for as long as it is needed: what those are told who share it."""
    import boto3  # type: ignore[import-untyped]
    from moto.server import ThreadedMotoServer

    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    server = ThreadedMotoServer(HOST, 0, verbose=False)
    server.start()
    try:
        endpoint = "http://{}:{}".format(*server.get_host_and_port())
        keys = {"AWS_ACCESS_KEY_ID": "a stand-in", "AWS_SECRET_ACCESS_KEY": "a stand-in"}
        region = "us-east-1"
        given = {"aws_access_key_id": "a stand-in", "aws_secret_access_key": "a stand-in", "region_name": region}
        boto3.client("s3", endpoint_url=endpoint, **given).create_bucket(Bucket=BUCKET)
        yield {**keys, "LULL_S3_BUCKET": BUCKET, "LULL_S3_ENDPOINT": endpoint, "LULL_S3_REGION": region}
    finally:
        server.stop()


@contextmanager
def served(count: int) -> Iterator[tuple[int, list[Supervisor]]]:
    """So many machines behind one proxy: its port, and what looks after each of them."""
    with ExitStack() as stack:
        shared = stack.enter_context(bucket())
        folder = Path(stack.enter_context(TemporaryDirectory()))
        machines, behind = [], []
        for number in range(count):
            own = {"LULL_SPOOL": str(folder / f"spool {number}"), "LULL_FILES": str(folder / f"files {number}")}
            port = free_port()
            members = [one for one in fleet(port, PYTHON) if one.name != "the proxy"]
            behind += [Behind(f"{HOST}:{one.port}", one.pulse[0]) for one in members if one.pulse]
            env = environment(port, {**os.environ, **shared, **own})
            machines.append(stack.enter_context(supervised(members, env)))
        port = free_port()
        written = folder / "proxy.cfg"
        written.write_text(proxy_settings(f"{HOST}:{port}", behind))
        before = Member("the proxy", (str(proxy()), "-db", "-f", written), {}, port, is_quiet=True)
        stack.enter_context(supervised([before], os.environ))
        yield port, machines


def measured(count: int) -> None:
    """What several machines do together, and what is lost: nothing must be."""
    from django.contrib.auth.models import User
    from django.db import connections

    users = [User.objects.create_user(f"player{number}") for number in range(FILES)]
    keys = [session(user) for user in users]
    connections.close_all()
    with served(count) as (port, machines):
        servers = sum(member.port is not None for machine in machines for member in machine.members)
        print(f"--- {count} machines with {servers} servers and {2 * count} workers, one database, one bucket")
        players = [Player(port, key) for key in keys]
        lost: list[str] = []
        for turn in range(ROUNDS):
            begun = time.perf_counter()
            sent = [
                player.file("/api/takes", performance(NOTES, 4_000, 2, seed=number), f"{turn}.mid")
                for number, player in enumerate(players)
            ]
            # Where they were being read, nobody reads any longer: others do it again.
            _kill_workers(machines[turn % count])
            states = Counter(_settled(player, answer.json["id"]) for player, answer in zip(players, sent, strict=True))
            print(f"  {FILES} large files: {dict(states)} in {time.perf_counter() - begun:.1f} s; workers killed once")
            lost += ["a file"] * (FILES - states["done"])
        given, missing = _archives(players)
        lost += missing
        takes = [(player, card["id"]) for player in players for card in player.call("GET", "/api/takes").json]
        lost += ["a take"] * (ROUNDS * FILES + given - len(takes))
        body = {"revision": 0, "stroke": STROKE, "part": 0, "sight": [0, 61_440]}
        for turn in range(2):
            answers = [player.call("POST", f"/api/takes/{take}/preview", body) for player, take in takes]
            lost += [f"a preview ({one.status})" for one in answers if one.status != 200]
            if turn:
                told("  previews of all takes in turn, each at home in one server", [one.seconds for one in answers])
    print(f"  lost: {', '.join(lost) or 'nothing'}")
    if lost:
        raise SystemExit(1)


def _archives(players: list[Player]) -> tuple[int, list[str]]:
    """Everything of one account given to another, in pieces that whichever server takes: takes given; what was lost."""
    given, lost = 0, []
    for giver, taker in zip(players, [*players[1:], players[0]], strict=True):
        given += len(giver.call("GET", "/api/takes").json)
        made = giver.call("POST", "/api/me/archive").json["id"]
        if _settled(giver, made) != "done":
            lost.append("an archive that was made")
            continue
        data = giver.call("GET", f"/api/jobs/{made}/file").body
        begun = taker.call("POST", "/api/archives", {"name": "theirs.zip", "size": len(data)}).json["id"]
        for at in range(0, len(data), PIECE):
            taker.file(f"/api/archives/{begun}?at={at}", data[at : at + PIECE])
        if _settled(taker, begun) != "done":
            lost.append("an archive that was brought")
    print(f"  {len(players)} archives made, fetched, and brought to another account in pieces of {PIECE >> 20} MiB")
    return given, lost


def _settled(player: Player, job: str) -> str:
    until = time.monotonic() + LONGEST_JOB
    while time.monotonic() < until:
        answer = player.call("GET", f"/api/jobs/{job}")
        if answer.status == 200 and answer.json["state"] in ("done", "refused"):
            return str(answer.json["state"])
        time.sleep(0.1)
    return "never done"


def _kill_workers(machine: Supervisor) -> None:
    for member in machine.members:
        if member.name.endswith("worker") and (pid := machine.pid(member)):
            os.kill(pid, signal.SIGKILL)
