"""The demo: a small travelling puppet theatre builds the props for a harbour play."""

from __future__ import annotations

from pathlib import Path

FOLDER = Path(__file__).parent / "models"
PROJECT = FOLDER / "gull-figurehead-project.3mf"
MODELS = {
    "gull": FOLDER / "gull-figurehead.3mf",
    "lantern": FOLDER / "harbour-lantern.3mf",
    "hook": FOLDER / "tentacle-hook.3mf",
    "helmet": FOLDER / "diver-helmet.3mf",
    "puppet": FOLDER / "harbour-master-puppet.3mf",
}
TROUBLED = {
    "damaged": FOLDER / "gull-figurehead-from-a-scan.stl",
    "bodies": FOLDER / "harbour-lantern-in-parts.obj",
    "exact": FOLDER / "lantern-glass-ring.step",
    "standing-on-y": FOLDER / "tentacle-hook.glb",
}
"""The same props as they arrive in real life: no unit and full of holes; in several bodies, one of them the supports of
somebody else; with exact faces; made to stand on -Y."""
