"""Printer profiles: what a plan is judged against. Open JSON, one file per printer."""

from __future__ import annotations

import math
from functools import cache
from importlib import resources
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError, model_validator

from ..defaults import PRINTER_CLEARANCE
from ..document.base import first_problem
from ..document.migrations import Versions
from ..errors import BadPlan
from ..locale import text
from ..locale.translate import tr

PROFILES = Versions("printer profile", 1)
FIRST = "middle-filament"
"""The shipped profile that a new project starts with."""
MOST_PROFILE_BYTES = 100_000

_USUAL = tr("usual material")
"""What a material without a name is called."""
Length = Annotated[float, Field(gt=0, le=1e5)]
Rectangle = tuple[float, float, Length, Length]
"""(x, y, width, depth), mm, on the bed."""


class Material(BaseModel):
    """A material other than the usual one that a printer can be loaded with: another plastic or resin, or another
    colour.

    Attributes
    ----------
    price : float
        The price of 1 kg.
    density : float
        In g/cm3.
    shrinkage : float
        By what share of its length the material shrinks.
    colour : str
        "#rrggbb"; empty if it has none.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
    price: float = Field(ge=0, le=1e5)
    density: float = Field(gt=0, le=25)
    shrinkage: float = Field(default=0.0, ge=0, le=0.1)
    colour: Annotated[str, StringConstraints(pattern=r"^(#[0-9a-fA-F]{6})?$")] = ""


class Printer(BaseModel):
    """One printer. Lengths are in mm, prices in one currency that the program does not name.

    Attributes
    ----------
    margin, gap : float, mm
        What is kept free at the edges of a bed, and between pieces on it.
    kept_free : list
        Rectangles of the bed on which nothing may lie.
    line_width : float
        The width of a filament printer's line, or a resin printer's pixel.
    layer_heights : tuple of float
        The usual layer heights, finest first.
    clearance : float
        The gap on each side between a key and its socket that this printer needs.
    hole_allowance : float
        How much wider holes for round stock are made in addition, because printed holes come out small (from
        memory).
    fitted : str
        How the clearance was found, with date and material.
    endless : Literal[x, y] | None
        The axis along which the bed has no end.
    slope : float, degrees
        The angle between its layers and the bed: 45 on most belts (common practice), 0 elsewhere.
    support_density : float
        The share of the support volume that is plastic (from memory).
    material, material_colour : str
        What it is usually loaded with; see ``Material``.
    materials : tuple of Material
        What else it can be loaded with.
    material_price : float
        The price of 1 kg.
    material_density : float
        In g/cm3.
    hour_price : float
        The price of an hour of printing.
    failed_share : float
        The share of the cost for failed prints (from memory).
    shrinkage : float
        By what share of its length the material shrinks when it cools.
    speed : float, mm/s
        The speed of a filament printer's nozzle along its path.
    wall_lines : int
        The number of lines in a wall.
    infill : float
        The share of the interior that is filled.
    layer_seconds : float
        Time lost at each layer. (65 mm/s: common practice; the others from memory.)
    least_island, most_cup, most_jump : float, mm2
        Limits of the check, as are the next five.
    cup_depth : float, mm
        A flatter pocket is not a cup, because the film follows into it.
    least_void : float, mm3
    least_neck : float
        Share.
    most_slender, least_tip : float
        The greatest slenderness and the least tipping angle.
    thin_resin : float, mm
        Below this a wall of resin is thin (an assumption).
    file : float, mm
        The diameter of the narrowest tool that seams are sanded with. All from memory.
    bottom_layers, bottom_seconds : int
        The layers of a resin print that are exposed longer, and for how long.
    exposure_seconds, lift_seconds : float
        Times of each other layer (together 9.6 s: common practice).
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, defer_build=True)

    version: Literal[1] = 1
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]
    kind: Literal["filament", "resin"]
    bed_x: float = Field(gt=0, le=1e5)
    bed_y: float = Field(gt=0, le=1e5)
    height: float = Field(gt=0, le=1e5)
    margin: float = Field(default=2.0, ge=0)
    gap: float = Field(default=4.0, ge=0, le=500)
    kept_free: Annotated[tuple[Rectangle, ...], Field(max_length=50)] = ()
    line_width: float = Field(default=0.4, gt=0, le=10)
    layer_heights: Annotated[tuple[Annotated[float, Field(gt=0, le=5)], ...], Field(min_length=1, max_length=20)] = (
        0.12, 0.2, 0.28,
    )
    clearance: float = Field(default=PRINTER_CLEARANCE, ge=0, le=5)
    hole_allowance: float = Field(default=0.1, ge=0, le=5)
    fitted: Annotated[str, StringConstraints(max_length=200)] = ""
    endless: Literal["x", "y"] | None = None
    slope: float = Field(default=0.0, ge=0, le=80)
    support_density: float = Field(default=0.15, gt=0, le=1)
    material: Annotated[str, StringConstraints(strip_whitespace=True, max_length=60)] = ""
    material_colour: Annotated[str, StringConstraints(pattern=r"^(#[0-9a-fA-F]{6})?$")] = ""
    materials: Annotated[tuple[Material, ...], Field(max_length=50)] = ()
    material_price: float = Field(default=25.0, ge=0, le=1e5)
    material_density: float = Field(default=1.24, gt=0, le=25)
    hour_price: float = Field(default=0.1, ge=0, le=1e4)
    failed_share: float = Field(default=0.05, ge=0, le=10)
    shrinkage: float = Field(default=0.0, ge=0, le=0.1)
    speed: float = Field(default=65.0, gt=0, le=2000)
    wall_lines: int = Field(default=3, ge=1, le=50)
    infill: float = Field(default=0.15, ge=0, le=1)
    layer_seconds: float = Field(default=3.0, ge=0, le=600)
    least_island: float = Field(default=0.05, ge=0, le=1e6)
    most_cup: float = Field(default=100.0, ge=0, le=1e6)
    cup_depth: float = Field(default=0.5, ge=0, le=1000)
    least_void: float = Field(default=10.0, ge=0, le=1e9)
    most_jump: float = Field(default=200.0, ge=0, le=1e6)
    least_neck: float = Field(default=0.02, ge=0, le=1)
    most_slender: float = Field(default=8.0, ge=0, le=1e4)
    least_tip: float = Field(default=10.0, ge=0, le=90)
    thin_resin: float = Field(default=0.5, ge=0, le=10)
    file: float = Field(default=4.0, gt=0, le=100)
    bottom_layers: int = Field(default=5, ge=0, le=100)
    bottom_seconds: float = Field(default=30.0, ge=0, le=600)
    exposure_seconds: float = Field(default=2.5, ge=0, le=600)
    lift_seconds: float = Field(default=7.1, ge=0, le=600)

    @model_validator(mode="after")
    def _has_room(self) -> Printer:
        if 2 * self.margin >= min(self.bed_x, self.bed_y):
            raise ValueError(tr("the margins leave nothing of the bed"))
        if self.slope and (self.endless is None or self.kind == "resin"):
            raise ValueError(tr("only a belt has slanting layers"))
        twice = next((name for name in self.loads if self.loads.count(name) > 1), None)
        if twice is not None:
            raise ValueError(tr("two materials are called “{twice}”", twice=twice))
        return self

    @property
    def upward(self) -> tuple[float, float, float]:
        """The direction in which layers follow each other, as a unit vector: slanted along an endless axis, else
        straight up.
        """
        lean, up = math.sin(math.radians(self.slope)), math.cos(math.radians(self.slope))
        return (lean, 0.0, up) if self.endless == "x" else (0.0, lean, up)

    @property
    def layer_height(self) -> float:
        """The middle one of the usual layer heights, in mm; the finer of two."""
        return self.layer_heights[(len(self.layer_heights) - 1) // 2]

    @property
    def growth(self) -> float:
        """The factor by which a part is enlarged, so that it has its true size after shrinking."""
        return 1.0 / (1.0 - self.shrinkage)

    def loaded_with(self, material: str) -> Printer:
        """The same printer loaded with one of its materials.

        Parameters
        ----------
        material : str
            The name of the material; empty: as it is.

        Raises
        ------
        BadPlan
            It has no material of that name.
        """
        if material in ("", self.loads[0]):
            return self
        for one in self.materials:
            if one.name == material:
                return self.changed(material=one.name, material_price=one.price, material_density=one.density,
                                    shrinkage=one.shrinkage, material_colour=one.colour, materials=())
        raise BadPlan(tr("{name} has no material “{material}”.", name=self.name, material=material))

    @property
    def loads(self) -> tuple[str, ...]:
        """The names of all materials, the usual one first."""
        return (self.material or _USUAL, *(one.name for one in self.materials))

    @property
    def thinnest_wall(self) -> float:
        """The thinnest wall that prints well: two line widths (common practice). For resin the pixel says nothing
        about that, so it is at least ``thin_resin``. In mm.
        """
        return max(2 * self.line_width, self.thin_resin if self.kind == "resin" else 0.0)

    @property
    def least_wall(self) -> float:
        """The least wall around a socket or a hole: two line widths, at least 1.2 mm; 1 mm for resin (from memory)."""
        return 1.0 if self.kind == "resin" else max(1.2, 2 * self.line_width)

    @property
    def room(self) -> tuple[float, float, float]:
        """The room for a piece along x, y and z in mm: the bed minus its margins; infinite along an endless axis."""
        x, y = (
            float("inf") if self.endless == axis else size - 2 * self.margin
            for axis, size in (("x", self.bed_x), ("y", self.bed_y))
        )
        return x, y, self.height

    @property
    def label(self) -> str:
        """Its name with its size."""
        x, y = (
            tr("endless") if self.endless == axis else text.bare_given(size)
            for axis, size in (("x", self.bed_x), ("y", self.bed_y))
        )
        return tr("{name} · {x} × {y} × {height}", name=self.name, x=x, y=y, height=text.given(self.height))

    def fitted_at(self, clearance: float, date: str, material: str) -> Printer:
        """The profile with the clearance that fitted best on a coupon.

        Parameters
        ----------
        clearance : float, mm per side

        Raises
        ------
        BadPlan
            The value makes no sense.
        """
        of = f", {material.strip()[:80]}" if material.strip() else ""
        return self.changed(
            clearance=clearance,
            fitted=tr(
                "{clearance} per side fitted best, {date}{of}", clearance=text.given(clearance), date=date, of=of
            ),
        )

    def changed(self, **update: object) -> Printer:
        """A copy with other values, validated again.

        Raises
        ------
        BadPlan
            The values make no sense.
        """
        try:
            return Printer.model_validate({**self.model_dump(), **update})
        except ValidationError as error:
            raise BadPlan(
                tr("Printer profile: {problem}", problem=first_problem(error)),
                kept=tr("The profile is unchanged."),
            ) from error


def read_printer(text: bytes) -> Printer:
    """A profile from its JSON.

    Raises
    ------
    BadPlan
        It is not a profile, is damaged, or was saved by a newer version.
    """
    if len(text) > MOST_PROFILE_BYTES:
        raise BadPlan(tr("This is not a printer profile: it is far too long."), kept=tr("Your profiles are unchanged."))
    try:
        return Printer.model_validate(PROFILES.read(text))
    except ValueError as error:
        problem = first_problem(error) if isinstance(error, ValidationError) else f"{error}.".replace("..", ".")
        raise BadPlan(
            tr("This printer profile cannot be read: {problem}", problem=problem),
            kept=tr("Your profiles are unchanged."),
        ) from error


def shipped_printers() -> dict[str, Printer]:
    """The profiles that come with the program, by file name."""
    folder = resources.files("deft_slab.core").joinpath("printers")
    files = sorted(file.name for file in folder.iterdir() if file.name.endswith(".json"))
    return {
        name.removesuffix(".json"): Printer.model_validate_json(folder.joinpath(name).read_text("utf-8"))
        for name in files
    }


@cache
def default_printer() -> Printer:
    """The printer of a new project."""
    return shipped_printers()[FIRST]
