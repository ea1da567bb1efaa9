"""deft-slab: opens the window, or works without one."""

from __future__ import annotations

import sys

COMMANDS = ("measure", "mend", "tilt", "cut", "sweep", "propose", "-h", "--help")


def main(arguments: list[str] | None = None) -> int:
    """The program. Local imports: a command must not load Qt, and the window must show before numba is loaded."""
    given = sys.argv[1:] if arguments is None else arguments
    if given and given[0] in COMMANDS:
        from . import commands

        return commands.run(given)
    from .desk import app

    return app.run(given)


if __name__ == "__main__":
    sys.exit(main())
