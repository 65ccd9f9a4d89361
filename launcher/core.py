"""The commands that need the core alone: no server, no database, and nothing in the way of a quick start."""

import os

from launcher import install
from launcher.base import PYTHON, Trouble, say, with_path

COMMANDS = ("shape", "play", "check", "inspect", "receive", "strokes-doc")


def main(words: list[str]) -> int:
    """Become the command; only where it cannot be started this returns, with the exit code."""
    try:
        install.python_packages()
        os.execve(PYTHON, [str(PYTHON), "-m", "command", *words], with_path())
    except Trouble as trouble:
        say(str(trouble))
        return 1
    except KeyboardInterrupt:
        return 130
