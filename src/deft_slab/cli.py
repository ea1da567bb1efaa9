"""deft-slab: opens the window, or works without one."""

from __future__ import annotations

import sys

COMMANDS = ("measure", "mend", "tilt", "cut", "sweep", "propose", "-h", "--help")


def main(arguments: list[str] | None = None) -> int:
    """The program; 130 after Ctrl+C, also while its packages are being loaded."""
    try:
        return _main(sys.argv[1:] if arguments is None else arguments)
    except KeyboardInterrupt:
        print("deft-slab: Stopped.", file=sys.stderr)
        return 130


def _main(given: list[str]) -> int:
    """Local imports: a command must not load Qt, and the window must show before numba is loaded."""
    if given and given[0] in COMMANDS:
        from . import commands

        return commands.run(given)
    from .desk import app

    return app.run(given)


if __name__ == "__main__":
    sys.exit(main())
