"""The table of actions, from which menus, shortcuts and the list of keys are made."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from ...core.formats import names
from ...core.locale.translate import tr
from ..desk_state import DeskState
from ..help.pages import ABOUT_PAGE, GLOSSARY_PAGE
from ..state.desk import STEPS
from .verbs import Verbs


def _always(state: DeskState) -> bool:
    return True


def _when_open(state: DeskState) -> bool:
    return state.is_open


def _can_undo(state: DeskState) -> bool:
    return bool(state.history.undo_text)


def _can_redo(state: DeskState) -> bool:
    return bool(state.history.redo_text)


def _go_to(step: str, verbs: Verbs) -> None:
    verbs.state.go_to(step)


@dataclass(frozen=True)
class Action:
    """What menus, keys and the list of keys need to know about an action."""

    id: str
    text: str
    tip: str
    keys: tuple[str, ...]
    does: Callable[[Verbs], None]
    enabled: Callable[[DeskState], bool] = _always


FILE = (
    Action(
        "open",
        tr("Open …"),
        tr("Opens a model ({list}) or a project.", list=names()),
        ("Ctrl+O",),
        Verbs.ask_open,
    ),
    Action("demo", tr("Open the demo"), tr("Opens the gull figurehead, with two choices."), (), Verbs.open_demo),
    Action("save", tr("Save"), tr("Saves the project in its present file."), ("Ctrl+S",), Verbs.save, _when_open),
    Action(
        "save_as",
        tr("Save as …"),
        tr("Saves the project in another file."),
        ("Ctrl+Shift+S",),
        Verbs.ask_project_file,
        _when_open,
    ),
    Action(
        "printers",
        tr("Printers …"),
        tr("Printer profiles: choose, copy, edit, import, export."),
        ("Ctrl+P",),
        Verbs.edit_printers,
    ),
    Action(
        "recipes",
        tr("Recipes …"),
        tr("Stores everything that you did to this model under a name, to be used on another model."),
        ("Ctrl+R",),
        Verbs.show_recipes,
    ),
    Action("quit", tr("Quit"), tr("Ends the program."), ("Ctrl+Q",), Verbs.quit),
)
EDIT = (
    Action("undo", tr("Undo"), tr("Undoes the last step."), ("Ctrl+Z",), lambda verbs: verbs.state.undo(),
           _can_undo),
    Action("redo", tr("Redo"), tr("Redoes the step."), ("Ctrl+Shift+Z", "Ctrl+Y"),
           lambda verbs: verbs.state.redo(), _can_redo),
    Action("keep", tr("Keep as a choice"), tr("Keeps what is on the bed in the ledger."), ("Ctrl+K",),
           Verbs.keep_choice,
           _when_open),
    Action("copy_picture", tr("Copy the picture"), tr("Copies the picture of the bed, so that you can paste it "
                                                      "elsewhere."),
           ("Ctrl+Shift+C",),
           Verbs.copy_picture, _when_open),
    Action("save_picture", tr("Save the picture …"), tr("Saves the picture of the bed as PNG."), (), Verbs.save_picture,
           _when_open),
    Action("stop", tr("Stop"), tr("Stops what is running."), ("Ctrl+.",), Verbs.stop),
)
VIEW = tuple(
    Action(
        f"step_{number}",
        tr("Go to {step}", step=tr(step)),
        tr("Opens the step “{step}”.", step=tr(step)),
        (f"Ctrl+{number}",),
        partial(_go_to, step),
    )
    for number, step in enumerate(STEPS, 1)
) + (
    Action(
        "swap_drag",
        tr("Swap turning and moving"),
        tr("Changes whether a left drag turns and a middle drag moves, or the other way round."),
        (),
        Verbs.swap_drag,
    ),
    Action(
        "comfort",
        tr("Preferences …"),
        tr("Light or dark colours, text size, language, units, motion, how angles are counted, and what the mouse "
           "does."),
        (),
        Verbs.show_comfort,
    ),
)
HELP = (
    Action(
        "help",
        tr("Help on this step"),
        tr("Explains the step that is open."),
        ("F1",),
        lambda verbs: verbs.show_help(verbs.state.step),
    ),
    Action("glossary", tr("Glossary"), tr("Explains the words of the window."), ("Shift+F1",),
           lambda verbs: verbs.show_help(GLOSSARY_PAGE)),
    Action(
        "shortcuts",
        tr("Keys"),
        tr("Lists all actions. You can find them in plain words and change their keys."),
        ("Ctrl+F1",),
        Verbs.show_keys,
    ),
    Action(
        "first_job",
        tr("First job"),
        tr("Leads you through a first job with one proposal for each step. You can leave it and resume it later."),
        (),
        Verbs.lead,
    ),
    Action(
        "report",
        tr("Report …"),
        tr("Collects what helps to find out what went wrong. Nothing is sent anywhere."),
        (),
        Verbs.show_report,
    ),
    Action(
        "about",
        tr("About Deft Slab"),
        tr("Shows the versions of the program and of its libraries, and its licence."),
        (),
        lambda verbs: verbs.show_help(ABOUT_PAGE),
    ),
)
ALL = FILE + EDIT + VIEW + HELP
ELSEWHERE = (
    (tr("On the bed"), tr("arrow keys turn, + and − zoom, a double click shows everything")),
    (tr("In a number"), tr("arrow keys step; units and sums are accepted: 4.5in, 120/2")),
    (tr("In the ledger"), tr("Enter brings a choice back, F2 renames it, P pins it, Delete removes it, Ctrl+C "
                             "copies the table")),
)
