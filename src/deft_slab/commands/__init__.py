"""What deft-slab does without a window, in one module for each command. Loads neither Qt nor VTK."""

from __future__ import annotations

import argparse
import io
import json
import logging
import os
import sys
from concurrent.futures import ThreadPoolExecutor
from importlib import import_module

from .. import logbook
from ..core.errors import DeftError, UnreadableFile, WouldReplace
from ..core.importing.surfaces import shown
from ..core.locale.translate import tr
from .arguments import BadArgument, refuse_senseless
from .own_words import speak
from .parser import parser
from .printing import plain, plainly
from .showing import ProgressLine
from .tables import lines_of

_log = logging.getLogger(__name__)

_ELSEWHERE = {"run": "whole_job"}
"""Modules of commands that are called otherwise than these."""
_WRONGLY_ASKED = 2
"""Exit code where the arguments make no sense, as the parser of the standard library has it."""
_INCOMPLETE = 3
"""Exit code where a file ended in the middle: what could be read of it was worked on."""


def run(arguments: list[str]) -> int:
    """Run a command. Every error is one line on stderr.

    Returns
    -------
    int
        The exit code: 0 only on success; 1 for an error, including one in any of several models; 2 for invalid
        arguments; 3 for a file that was cut short; 141, as usual, for a closed pipe.
    """
    logbook.begin()
    for stream in (sys.stdout, sys.stderr):  # file names need not be text
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="backslashreplace")
    words = [plain(word) for word in arguments]
    speak()
    own = words.index("--") if words[0] == "batch" and "--" in words else len(words)
    parsed = parser().parse_args(words[:own])
    parsed.rest = words[own + 1 :]
    try:
        return _ran(parsed)
    except WouldReplace as error:
        print(tr("deft-slab: {what} {kept} Add --replace to replace existing files.", what=error.what, kept=error.kept),
              file=sys.stderr)
    except BadArgument as error:
        print(tr("deft-slab: {error}", error=error), file=sys.stderr)
        return _WRONGLY_ASKED
    except UnreadableFile as error:  # what was kept is said of what is open in the window
        said = " ".join(part for part in (error.what, error.remedy) if part)
        print(tr("deft-slab: {said}", said=said), file=sys.stderr)
    except DeftError as error:
        print(tr("deft-slab: {error}", error=error), file=sys.stderr)
    except BrokenPipeError:
        # whoever read has had enough; what is left in the buffer has nowhere to go
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 141
    except MemoryError:
        print(tr("deft-slab: There is not enough memory for this."), file=sys.stderr)
    except Exception as error:  # noqa: BLE001 - the border of the program: people get a sentence, the log the rest
        _log.exception("%s failed", parsed.command)
        said = tr(
            "Something went wrong inside ({name}: {error}). {hint}",
            name=type(error).__name__,
            error=error,
            hint=logbook.hint(),
        )
        print(tr("deft-slab: {said}", said=said.strip()), file=sys.stderr)
    return 1


def _ran(parsed: argparse.Namespace) -> int:
    refuse_senseless(parsed)
    module = _ELSEWHERE.get(parsed.command, parsed.command)
    does = import_module(f".{module}", __package__).run  # what one command needs, another does not wait for
    pool = ThreadPoolExecutor(os.cpu_count() or 1)
    parsed.shows = ProgressLine(sys.stderr, quiet=parsed.quiet, detailed=parsed.verbose)
    try:
        parsed.spread, parsed.job, parsed.complete = pool.map, parsed.shows.job, True
        result = does(parsed) | {"complete": parsed.complete}
    finally:
        pool.shutdown(cancel_futures=True)
        parsed.shows.end()
    if parsed.json:
        print(json.dumps(plainly(result), indent=1, allow_nan=False))
    else:
        print("\n".join(lines_of(parsed.command, result)))
    sys.stdout.flush()
    if not parsed.complete:
        print(tr("deft-slab: “{file}” is incomplete. Only the part that exists was used.", file=shown(parsed.file)),
              file=sys.stderr)
        return _INCOMPLETE
    return int(getattr(parsed, "failed", False))
