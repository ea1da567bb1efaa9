"""Sends a bed to a printer."""

from __future__ import annotations

import argparse
import time
from collections.abc import Callable

from ..core.errors import BadPlan
from ..core.locale.translate import tr
from ..core.printing.link import Link, NotThere
from ..core.printing.messages import OVER, Status
from ..core.printing.outbox import job_id
from .arguments import BadArgument, token_of
from .options import TOKEN

_EVERY = 0.5
"""Seconds between looks."""
_TRIES = 6
"""Times that a printer which is not there is asked again, before it is given up."""


def run(arguments: argparse.Namespace) -> dict[str, object]:
    token = token_of(arguments)
    if token is None:
        raise BadArgument(
            tr("No access token was given."),
            remedy=tr("Give it with --token-file, in the environment variable {name}, or with --token.", name=TOKEN),
        )
    link = Link(arguments.to, token)
    job = arguments.id or job_id(arguments.file)
    status = _again(lambda: link.send(job, arguments.file.stem, arguments.file))
    if status.state == "waiting":
        status = _again(lambda: link.order(job, "start"))
    told = ""
    while arguments.wait and status.state in ("waiting", "printing"):
        time.sleep(_EVERY)
        status = _again(lambda: link.status(job))
        said = tr("layer {layer} of {layers}", layer=status.layer, layers=status.layers)
        if said != told and not arguments.json and not arguments.quiet:
            arguments.shows.say(said)
        told = said
    if arguments.wait and status.state != "done":
        raise BadPlan(
            tr(
                "“{name}” is {state} at layer {layer} of {layers}. {problem}",
                name=status.name,
                state=status.state,
                layer=status.layer,
                layers=status.layers,
                problem=status.problem,
            )
        )
    if status.state in OVER and status.state != "done":
        raise BadPlan(
            tr("“{name}” is {state}. {problem}", name=status.name, state=status.state, problem=status.problem)
        )
    return status.model_dump()


def _again(ask: Callable[[], Status]) -> Status:
    """The answer of a printer. If it is not reachable it is asked again, each time after twice the pause."""
    for turn in range(_TRIES):
        try:
            return ask()
        except NotThere:
            if turn == _TRIES - 1:
                raise
            time.sleep(0.2 * 2**turn)
    raise AssertionError("it has answered, or raised")
