"""What printers and the desk say to each other."""

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
    """Anything that is said: what is not known in it is passed over, so that newer ones may say more."""

    model_config = ConfigDict(frozen=True, extra="ignore", allow_inf_nan=False)


class Refusal(Said):
    """Why a printer does not do as it was asked.

    Attributes
    ----------
    problem
        A sentence, cut off after 500 letters.
    """

    problem: Annotated[str, AfterValidator(lambda said: harmless(said[:500]))]


class Status(Said):
    """Of a job.

    Attributes
    ----------
    layer : int
        How many are done, of ``layers``.
    seconds_left : float
        Of printing, by the printer's own clock.
    grams : float
        That all of it takes.
    problem : Sentence
        What is wrong, "" for nothing.
    resumable : bool
        Whether it can go on from there.
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
    """Of a printer.

    Attributes
    ----------
    bed : mm
        Along x, y and z.
    pixel : float, mm
        0 on a filament printer.
    loaded : float
        G of material in it.
    speed : float
        How often faster than real its clock goes; 1 on a real one.
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
    """Of a file, as the header Content-Digest has it (RFC 9530, SHA-256). Raises OSError."""
    with open_regular(path) as file:
        found = hashlib.file_digest(file, "sha256")
    return f"sha-256=:{base64.b64encode(found.digest()).decode()}:"
