"""Whether this process lives, told by threads of their own: they never wait for work.

It lives from its first breath on (`/`), and is ready (`/ready`) from when it is about to listen. systemd, where
it looks after the process, is told the same (sd_notify(3)).
"""

import os
import socket
import time
from threading import Event, Thread

PORT = "LULL_PULSE_PORT"
"""What names the port; absent: nobody asks."""
HOST = "LULL_LISTEN"
"""What names the address to listen at; absent: loopback."""
PATIENCE = 2
_is_ready = Event()


def beat() -> None:
    """Answer from now on, where anybody asks."""
    port = os.environ.get(PORT, "")
    if port.isdecimal():
        address = os.environ.get(HOST) or "127.0.0.1", int(port)
        listening = socket.create_server(address, backlog=64, reuse_port=False)
        Thread(target=_answer, args=(listening,), daemon=True).start()
    if (within := os.environ.get("WATCHDOG_USEC", "")).isdecimal():
        Thread(target=_tell_again, args=(int(within) / 3e6,), daemon=True).start()


def ready() -> None:
    """From now on whoever is sent here is answered."""
    _is_ready.set()
    _tell(b"READY=1")


def _tell_again(seconds: float) -> None:
    while True:
        _tell(b"WATCHDOG=1")
        time.sleep(seconds)


def _tell(state: bytes) -> None:
    if path := os.environ.get("NOTIFY_SOCKET"):
        with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as line:
            # "@" begins the name of a socket that is in no folder.
            line.sendto(state, "\0" + path[1:] if path.startswith("@") else path)


def _answer(listening: socket.socket) -> None:
    while True:
        try:
            asked, _ = listening.accept()
            with asked:
                asked.settimeout(PATIENCE)
                wants = asked.recv(4096).split(b" ", 2)[1:2]
                asked.sendall(_said(wants != [b"/ready"] or _is_ready.is_set()))
                asked.shutdown(socket.SHUT_WR)
        except OSError:
            # Who has asked has gone.
            continue


def _said(is_well: bool) -> bytes:
    status, told = ("200 OK", b"alive\n") if is_well else ("503 Service Unavailable", b"not yet\n")
    head = f"HTTP/1.0 {status}\r\nContent-Type: text/plain\r\nContent-Length: {len(told)}\r\nConnection: close\r\n\r\n"
    return head.encode() + told
