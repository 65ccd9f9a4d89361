"""Processes beside the server: they know nothing of Django, and end with it."""

import multiprocessing
import os
from threading import Thread


def end_with_the_server() -> None:
    """In a process beside it: no server leaves it behind, however it ends."""
    server = multiprocessing.parent_process()

    def watch() -> None:
        if server is not None:
            server.join()
            os._exit(0)

    Thread(target=watch, daemon=True).start()
