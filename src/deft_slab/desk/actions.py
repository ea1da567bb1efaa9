"""Actions are data: menus, shortcuts and the list of shortcuts come from this table."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from .whole import DeskState


def _always(state: DeskState) -> bool:
    return True


def _with_model(state: DeskState) -> bool:
    return state.is_open


@dataclass(frozen=True)
class Action:
    """``does`` names a method of the window."""

    id: str
    text: str
    tip: str
    keys: tuple[str, ...]
    does: str
    enabled: Callable[[DeskState], bool] = _always


FILE = (
    Action("open", "Open …", "Opens a model (STL, 3MF, OBJ, PLY, OFF, GLB, glTF, STEP) or a project.", ("Ctrl+O",),
           "ask_open"),
    Action("demo", "Open the demo", "Opens the gull figurehead, with three choices.", (), "open_demo"),
    Action("save", "Save", "Saves the project where it was saved last.", ("Ctrl+S",), "save", _with_model),
    Action("save_as", "Save as …", "Saves the project in another place.", ("Ctrl+Shift+S",), "ask_project_file",
           _with_model),
    Action("printers", "Printers …", "Printer profiles: choose, copy, edit, import, export.", ("Ctrl+P",),
           "edit_printers"),
    Action("quit", "Quit", "Ends the program.", ("Ctrl+Q",), "close"),
)  # fmt: skip
EDIT = (
    Action("undo", "Undo", "Takes the last step back.", ("Ctrl+Z",), "undo",
           lambda state: bool(state.history.undo_text)),
    Action("redo", "Redo", "Makes the step again.", ("Ctrl+Shift+Z", "Ctrl+Y"), "redo",
           lambda state: bool(state.history.redo_text)),
    Action("keep", "Keep as a choice", "Keeps what is on the bed in the ledger.", ("Ctrl+K",), "keep_choice",
           _with_model),
    Action("stop", "Stop", "Stops what is being worked on.", ("Ctrl+.",), "stop"),
)  # fmt: skip
VIEW = tuple(
    Action(f"step_{number}", f"Go to {step}", f"Opens the step “{step}”.", (f"Ctrl+{number}",), f"go_to_{number}")
    for number, step in enumerate(("Size", "Tilt", "Cut", "Join", "Check", "Hand off"), 1)
) + (
    Action("swap_drag", "Swap turning and moving", "Left drag moves and middle drag turns, or the other way round.", (),
           "swap_drag"),
    Action("shortcuts", "Keys", "Lists the keys.", ("F1",), "show_keys"),
)  # fmt: skip
ALL = FILE + EDIT + VIEW
