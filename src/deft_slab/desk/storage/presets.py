"""Presets: values of one part of the desk that are kept under a name and can be used in any project."""

from __future__ import annotations

from functools import lru_cache
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError

from ...core.document.base import first_problem
from ...core.document.migrations import Versions
from ...core.errors import BadPlan
from ...core.locale.translate import tr
from .shelf import MOST_LETTERS, Shelf

PRESETS = Versions("preset", 1)
Of = Literal["seats", "ways", "joins", "materials"]


class Preset(BaseModel):
    """Values kept under a name.

    Attributes
    ----------
    of : Of
        Which part of the desk they are for.
    kind : str
        For joins, of which kind.
    values : dict[str, Any]
        By the names of fields.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    version: Literal[1] = 1
    of: Of
    kind: str = ""
    name: Annotated[str, StringConstraints(min_length=1, max_length=MOST_LETTERS)]
    values: dict[str, Any] = Field(max_length=60)


def read_preset(text: bytes) -> Preset:
    """A preset from its JSON.

    Raises
    ------
    BadPlan
        It is not a preset.
    """
    try:
        return Preset.model_validate(PRESETS.read(text))
    except ValidationError as error:
        raise BadPlan(tr("This preset cannot be read: {problem}", problem=first_problem(error))) from error
    except ValueError as error:
        raise BadPlan(tr("This preset cannot be read: {error}.", error=error)) from error


@lru_cache
def shelf(of: Of) -> Shelf[Preset]:
    """The presets for a part of the desk."""
    return Shelf(f"presets-{of}", PRESETS, read_preset,
                 lambda preset, name: preset.model_copy(update={"name": name}))
