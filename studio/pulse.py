"""Whether this process lives, told by a thread and a port of its own: it never waits for work."""

import os
import socket
from threading import Thread

PORT = "LULL_PULSE_PORT"
"""What names the port, on loopback; absent: nobody asks."""
ALIVE = b"HTTP/1.0 200 OK\r\nContent-Type: text/plain\r\nContent-Length: 6\r\nConnection: close\r\n\r\nalive\n"
PATIENCE = 2


def beat() -> None:
    """Answer from now on, where anybody asks."""
    port = os.environ.get(PORT, "")
    if port.isdecimal():
        listening = socket.create_server(("127.0.0.1", int(port)), backlog=64, reuse_port=False)
        Thread(target=_answer, args=(listening,), daemon=True).start()


def _answer(listening: socket.socket) -> None:
    while True:
        try:
            asked, _ = listening.accept()
            with asked:
                asked.settimeout(PATIENCE)
                asked.recv(4096)
                asked.sendall(ALIVE)
                asked.shutdown(socket.SHUT_WR)
        except OSError:
            # Who has asked has gone.
            continue
