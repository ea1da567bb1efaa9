"""The program deft-slab: opens the window, or works without one."""

from __future__ import annotations

import gc
import os
import signal
import sys
from types import FrameType
from typing import NoReturn

from .core.locale.translate import tr

COMMANDS = (
    "measure",
    "check",
    "hollow",
    "posts",
    "mend",
    "tilt",
    "cut",
    "join",
    "coupon",
    "handoff",
    "run",
    "batch",
    "printer",
    "send",
    "sweep",
    "propose",
    "-h",
    "--help",
    "--version",
)


def _stopped(_number: int, _frame: FrameType | None) -> NoReturn:
    """Exit at once on Ctrl+C, whatever threads and libraries are doing. Files are written completely or not at all."""
    print(tr("deft-slab: Stopped."), file=sys.stderr, flush=True)
    os._exit(130)


def _is_mistyped(word: str) -> bool:
    """Whether the first word looks like a command, but is neither a command, an option nor a file."""
    looks_like_one = word.isidentifier() and word not in COMMANDS
    return looks_like_one and not os.path.lexists(word)


def main(arguments: list[str] | None = None) -> int:
    """The program. Imports are local because a command must not load Qt, and the window must show before numba is
    loaded.
    """
    if arguments is None:
        signal.signal(signal.SIGINT, _stopped)
    given = sys.argv[1:] if arguments is None else arguments
    if given and _is_mistyped(given[0]):
        import difflib  # only who mistypes a command waits for it

        near = difflib.get_close_matches(given[0], COMMANDS, 1)
        asked = tr(" Did you mean “{near}”?", near=near[0]) if near else ""
        print(tr("deft-slab: There is no command “{given}”.{asked} See deft-slab --help.", given=given[0],
                 asked=asked), file=sys.stderr)
        return 2
    if given and given[0] in COMMANDS:
        if "--json" not in given and "-j" not in given:  # what programs read does not hang on settings of a window
            from .desk.storage.language import speak_as_set

            speak_as_set()
        from . import commands

        return commands.run(given)
    gc.disable()  # what is loaded stays, and need not be looked through for garbage; see desk.garbage
    from .desk.storage.language import speak_as_set

    speak_as_set()  # before any module is loaded that has texts
    from .desk import start

    return start.run(given)


if __name__ == "__main__":
    sys.exit(main())
