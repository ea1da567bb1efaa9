"""Printer profiles: the bed that a plan is judged against."""

from __future__ import annotations

from importlib import resources
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field


class Printer(BaseModel):
    """One printer. Lengths in mm."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    version: Literal[1] = 1
    name: str
    kind: Literal["filament", "resin"]
    bed_x: float = Field(gt=0)
    bed_y: float = Field(gt=0)
    height: float = Field(gt=0)
    margin: float = Field(default=2.0, ge=0)
    support_density: float = Field(default=0.15, gt=0, le=1)
    """Share of the support volume that is plastic; from memory."""

    @property
    def label(self) -> str:
        return f"{self.name} · {self.bed_x:g} × {self.bed_y:g} × {self.height:g} mm"


def default_printer() -> Printer:
    """The printer that a new project starts with."""
    text = resources.files("deft_slab.core").joinpath("printers/middle-filament.json").read_text("utf-8")
    return Printer.model_validate_json(text)
