"""Puts language, unit and number format from the settings into the environment, before any text is looked up.

Quick to import and without a text of its own, because it is imported before everything that has texts.
"""

from __future__ import annotations

import json
import os

from ...core.locale import preferences
from ...logbook import home

AS_THE_DESKTOP = "as the desktop"


def speak_as_set() -> None:
    """Apply the settings. What cannot be read counts as not set; reading the settings in full reports what is wrong
    with them.
    """
    try:
        kept = json.loads((home() / "settings.json").read_bytes())
    except (OSError, ValueError, RecursionError):
        kept = {}
    if not isinstance(kept, dict):
        return
    if kept.get("language", AS_THE_DESKTOP) in preferences.languages():
        os.environ["LANGUAGE"] = kept["language"]
    # variables of our own are set by somebody on purpose, and go before what is kept
    if kept.get("units") in preferences.SHOWN_IN:
        os.environ.setdefault(preferences.UNITS, kept["units"])
    if kept.get("numbers") in preferences.WRITTEN:
        os.environ.setdefault(preferences.NUMBERS, kept["numbers"])
    preferences.forget()
