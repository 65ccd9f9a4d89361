"""Where the launcher starts: the core's commands by themselves, everything else with all that it takes."""

import os
import sys

ROOT = os.path.dirname(os.path.dirname(os.path.realpath(__file__)))  # noqa: PTH120
sys.path[0] = ROOT
# What Python compiles is kept, so that the next start is quick, but not among the sources.
sys.dont_write_bytecode, sys.pycache_prefix = False, os.path.join(ROOT, ".lull", "bytecode")  # noqa: PTH118


def main(words: list[str]) -> int:
    """Run one command and give its exit code."""
    from launcher import core

    if words[:1] and words[0] in core.COMMANDS:
        return core.main(words)
    from launcher.main import main as whole

    return whole(words)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
