"""Runs a stand-in printer, which listens or watches a folder until it is stopped."""

from __future__ import annotations

import argparse
import json
import secrets
import sys
import threading
from pathlib import Path

from ..core.errors import BadPlan
from ..core.locale.translate import tr
from ..core.printers.profile import Printer, shipped_printers
from ..logbook import home
from .arguments import BadArgument, printer_of, token_of
from .tables import lines_of

USUAL = {"filament": "middle-filament", "resin": "small-resin"}


def run(arguments: argparse.Namespace) -> dict[str, object]:
    from ..standin.folder import Watch
    from ..standin.machine import Machine
    from ..standin.server import Server

    printer = _printer(arguments)
    keeps: Path = arguments.keep or home() / "stand-ins" / printer.kind
    machine = Machine(printer, keeps, speed=arguments.speed, loaded=arguments.loaded)
    token = token_of(arguments) or secrets.token_urlsafe(16)
    try:
        server = Server(machine, token, keeps, arguments.port)
    except OSError as error:
        problem = tr("It cannot listen on port {port}.", port=arguments.port)
        raise BadPlan(problem, remedy=tr("Use another port, or 0 for any free one.")) from error
    with server:
        said = {"url": server.url, "token": token, "printer": printer.name, "kind": printer.kind, "keeps": str(keeps)}
        if arguments.folder is not None:
            watch = Watch(machine, arguments.folder, keeps)
            threading.Thread(target=watch.run, daemon=True).start()
            said["folder"] = str(arguments.folder)
        # whoever has started it reads this line to know where it is
        print(json.dumps(said) if arguments.json else "\n".join(lines_of("printer", said)))
        sys.stdout.flush()
        server.serve_forever()
    return {}


def _printer(arguments: argparse.Namespace) -> Printer:
    if arguments.profile is not None:
        found = printer_of(arguments.profile)
        if arguments.kind not in (None, found.kind):
            raise BadArgument(tr("{name} is a {kind} printer.", name=found.name, kind=found.kind))
        return found
    return shipped_printers()[USUAL[arguments.kind or "filament"]]
