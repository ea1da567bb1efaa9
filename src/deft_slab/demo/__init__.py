"""The demo: a small travelling puppet theatre builds its props for a harbour play."""

from __future__ import annotations

from pathlib import Path

FOLDER = Path(__file__).parent / "models"
PROJECT = FOLDER / "gull-figurehead-project.3mf"
MODELS = {
    "gull": FOLDER / "gull-figurehead.3mf",
    "lantern": FOLDER / "harbour-lantern.3mf",
    "hook": FOLDER / "tentacle-hook.3mf",
}
