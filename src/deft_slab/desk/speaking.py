"""Language, units and numbers as the settings wish them, put into the environment before any text is looked up.

Light, and without a text of its own: it is loaded before all that has any.
"""

from __future__ import annotations

import json
import os

from ..core import habits
from ..logbook import home

AS_THE_DESKTOP = "as the desktop"


def speak_as_set() -> None:
    """What cannot be read is taken as unset; reading the settings in full says what is wrong with them."""
    try:
        kept = json.loads((home() / "settings.json").read_bytes())
    except (OSError, ValueError, RecursionError):
        kept = {}
    if not isinstance(kept, dict):
        return
    if kept.get("language", AS_THE_DESKTOP) in habits.languages():
        os.environ["LANGUAGE"] = kept["language"]
    # variables of our own are set by somebody on purpose, and go before what is kept
    if kept.get("units") in habits.SHOWN_IN:
        os.environ.setdefault(habits.UNITS, kept["units"])
    if kept.get("numbers") in habits.WRITTEN:
        os.environ.setdefault(habits.NUMBERS, kept["numbers"])
    habits.forget()
