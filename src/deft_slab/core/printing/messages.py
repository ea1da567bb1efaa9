"""The messages between printers and the desk."""

from __future__ import annotations

import base64
import hashlib
from pathlib import Path
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, StringConstraints

from ..document.regular_files import open_regular
from ..locale.text import harmless

SPEAKS = 1
"""Version of what is said."""
MOST_BYTES = 2**30
"""Of a file that is sent."""
MOST_REPLY = 2**22
"""Bytes of anything that is replied, but a picture."""
KINDS = {".3mf": "model/3mf", ".zip": "application/zip"}
"""Media types of what may be sent, by the ending of a file."""

State = Literal["waiting", "printing", "paused", "done", "failed", "cancelled"]
OVER: frozenset[State] = frozenset({"done", "failed", "cancelled"})
JobId = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9-]{0,63}$")]
Sentence = Annotated[str, StringConstraints(max_length=500), AfterValidator(harmless)]
"""A line of text; what comes from a printer is made harmless before anybody shows it."""


class Said(BaseModel):
    """Base of all messages. Unknown fields are ignored, so that newer versions may say more."""

    model_config = ConfigDict(frozen=True, extra="ignore", allow_inf_nan=False)


class Refusal(Said):
    """Why a printer refuses what it was asked.

    Attributes
    ----------
    problem : str
        A sentence, cut off after 500 characters.
    """

    problem: Annotated[str, AfterValidator(lambda said: harmless(said[:500]))]


class Status(Said):
    """The status of a job.

    Attributes
    ----------
    layer : int
        How many of ``layers`` are done.
    seconds_left : float
        How much longer it prints, by the printer's own clock.
    grams : float
        The material that the whole job takes.
    problem : Sentence
        What is wrong; empty if nothing is.
    resumable : bool
        Whether it can continue from there.
    """

    id: JobId
    name: Sentence
    state: State
    layer: int = Field(ge=0)
    layers: int = Field(ge=0)
    seconds_left: float = Field(ge=0)
    grams: float = Field(ge=0)
    problem: Sentence = ""
    resumable: bool = False


class About(Said):
    """What a printer is.

    Attributes
    ----------
    bed : (x, y, z), mm
        Its build volume.
    pixel : float, mm
        The size of a pixel; 0 on a filament printer.
    loaded : float
        The material loaded, in g.
    speed : float
        Clock speed as a multiple of real time; 1 on a real printer.
    """

    speaks: int = Field(ge=1)
    name: Sentence
    kind: Literal["filament", "resin"]
    bed: tuple[float, float, float]
    pixel: float = Field(ge=0)
    material: Sentence
    loaded: float = Field(ge=0)
    speed: float = Field(gt=0)
    jobs: tuple[Status, ...] = ()


def digest_of(path: Path) -> str:
    """The digest of a file as in the header Content-Digest (RFC 9530, SHA-256).

    Raises
    ------
    OSError
        The file cannot be read.
    """
    with open_regular(path) as file:
        found = hashlib.file_digest(file, "sha256")
    return f"sha-256=:{base64.b64encode(found.digest()).decode()}:"
