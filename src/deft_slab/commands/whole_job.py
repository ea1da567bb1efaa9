"""The whole job of a project: lays its plan on beds, and writes it."""

from __future__ import annotations

import argparse

from ..core.errors import BadPlan
from ..core.evaluate.evaluator import Evaluator
from ..core.importing.readers import open_file
from ..core.locale import text
from ..core.locale.translate import tr
from .arguments import BadArgument, printer_of
from .handoff import handed_off


def run(arguments: argparse.Namespace) -> dict[str, object]:
    opened = open_file(arguments.file, arguments.job)
    arguments.complete = opened.model.complete
    project = opened.project
    if project is None:
        raise BadPlan(
            tr("“{file}” is a model, not a project.", file=arguments.file),
            remedy=tr("Use handoff, or save it as a project."),
        )
    plan = project.plan
    if arguments.choice is not None:
        chosen = [one.plan for one in project.choices if one.name == arguments.choice]
        if not chosen:
            known = ", ".join(text.quoted(one.name) for one in project.choices) or tr("none")
            raise BadArgument(
                tr("The project has no choice “{choice}”.", choice=arguments.choice),
                remedy=tr("Its choices are {known}.", known=known),
            )
        plan = chosen[0]
    evaluator = Evaluator(opened.model, arguments.spread)
    own = project.printer if arguments.printer is None else None
    return handed_off(arguments, evaluator, plan, own or printer_of(arguments.printer), project.title,
                      [(choice.name, choice.plan) for choice in project.choices])
