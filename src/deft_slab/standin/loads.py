"""A bed as a printer sees it: how many layers it has, how long it takes, how much material it needs, and what each
layer looks like.
"""

from __future__ import annotations

import io
import math
import struct
import zipfile
import zlib
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

import lib3mf
import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from ..core.arrays import Floats
from ..core.document.base import first_problem
from ..core.errors import DeftError, UnreadableFile
from ..core.exporting.slices.image_kernels import filled
from ..core.exporting.slices.images import ABOUT, name_of, picture_size, png_of
from ..core.exporting.slices.layers import Stack
from ..core.figures.print_time import along_layers, laid_volume, layer_count, print_seconds
from ..core.importing.threemf import check_package, items_in, strict_reader
from ..core.layers.sections import Slicer
from ..core.mesh.solid import Solid
from ..core.printers.profile import Printer

_SHOWN = 0.1
"""mm of a pixel of a filament layer's picture."""
_LOOKED_AT = 40
"""Pictures that are looked at before it begins, of all that there are."""
_MOST_LAYERS = 100_000
_MOST_PIXELS = 65_535
"""Along a side of a picture."""
_MOST_SECONDS = 86_400.0
"""For one layer."""
_MOST_ABOUT = 4 * 2**20
"""Bytes of what an archive says of its layers: the areas of as many as there may be."""
_MOST_PICTURE = 64 * 2**20
"""Bytes of a picture that is shown."""
_DAMAGED = (
    KeyError, OSError, EOFError, NotImplementedError, RuntimeError, struct.error, zipfile.BadZipFile, zlib.error,
)
"""What reading a damaged archive raises; RuntimeError where it is encrypted."""
_OVER = 1.0
"""mm by which a bed's contents may stick out, by rounding of what holds them."""


@dataclass(frozen=True)
class Load:
    """What it takes to print a bed.

    Attributes
    ----------
    layers : int
        The number of layers.
    first, rest : float
        Seconds for each of the first ``bottoms`` layers, and for each other layer.
    grams : float
        The material in all.
    """

    layers: int
    bottoms: int
    first: float
    rest: float
    grams: float

    @property
    def seconds(self) -> float:
        """The time for all layers."""
        return self.until(self.layers)

    def until(self, layer: int) -> float:
        """The time for a number of layers, in seconds."""
        bottom = min(layer, self.bottoms)
        return bottom * self.first + (layer - bottom) * self.rest

    def layer_at(self, seconds: float) -> int:
        """The number of layers that are finished after a time."""
        if seconds < self.until(self.bottoms) and self.first > 0:
            return min(int(seconds / self.first + 1e-9), self.layers)
        past = seconds - self.until(self.bottoms)
        return min(self.bottoms + int(past / self.rest + 1e-9), self.layers) if self.rest > 0 else self.layers


def load_of(path: Path, printer: Printer) -> Load:
    """What it takes to print a file on a printer.

    Raises
    ------
    UnreadableFile
        It is not a bed that this printer takes; the message says why.
    """
    if zipfile.is_zipfile(path) and _has(path, ABOUT):
        return _of_pictures(path, printer)
    solids = _solids(path)
    corners = np.concatenate([solid.vertices for solid in solids])
    _refuse_beyond(corners, printer)
    layers = layer_count(_height(corners, printer), printer)
    if printer.kind == "resin":
        grams = math.fsum(solid.volume for solid in solids) / 1000 * printer.material_density
        rest = printer.exposure_seconds + printer.lift_seconds
        return Load(layers, min(layers, printer.bottom_layers), printer.bottom_seconds, rest, grams)
    volume = path_seconds = 0.0
    for solid in solids:
        _, wall = along_layers(solid.vertices, solid.normals, solid.areas, np.eye(3), printer)
        height = _height(solid.vertices, printer)
        own = print_seconds(printer, height, solid.volume, wall, 0.0)
        path_seconds += own - layer_count(height, printer) * printer.layer_seconds
        volume += laid_volume(printer, solid.volume, wall, 0.0)
    each = path_seconds / layers + printer.layer_seconds
    return Load(layers, 0, 0.0, each, volume / 1000 * printer.material_density)


def _height(corners: Floats, printer: Printer) -> float:
    """The height over the bed in mm, measured along the normal of slanting layers where the printer has them.
    Corners in a file are rounded; this must not add a layer.
    """
    along = corners @ np.array(printer.upward)
    return round(float(along.max() - (along.min() if printer.slope else 0.0)), 3)


def _upright(solids: list[Solid], printer: Printer) -> list[Solid]:
    """The bodies, turned so that slanting layers are level, with their lowest and leftmost points at 0."""
    if not printer.slope:
        return solids
    way = np.array(printer.upward)
    across = np.array([1.0, 0.0, 0.0]) if printer.endless == "y" else np.array([0.0, 1.0, 0.0])
    turn = np.array([across, np.cross(way, across), way])
    turned = [Solid(solid.vertices @ turn.T, solid.triangles) for solid in solids]
    low = np.min([solid.vertices.min(axis=0) for solid in turned], axis=0)
    return [Solid(solid.vertices - low, solid.triangles) for solid in turned]


def picture(path: Path, printer: Printer, number: int) -> bytes:
    """A layer as a PNG; layers are numbered from 0.

    Raises
    ------
    UnreadableFile
        The layer cannot be drawn.
    """
    if _has(path, ABOUT):
        try:
            with zipfile.ZipFile(path) as archive:
                return _part(archive, name_of(number), _MOST_PICTURE)
        except _DAMAGED as error:
            raise _refused(f"Its layer {number + 1} cannot be read ({error}).") from error
    solids = _upright(_solids(path), printer)
    stack = Stack(tuple(Slicer.of(solid, solid.vertices) for solid in solids), printer.layer_height)
    pixel = printer.line_width if printer.kind == "resin" else _SHOWN
    columns, rows = picture_size(printer.changed(line_width=pixel))
    layer = stack.layer(number)
    bits, _ = filled(layer.points, layer.start, pixel, columns, rows)
    return png_of(bits, columns)


def _has(path: Path, name: str) -> bool:
    try:
        with zipfile.ZipFile(path) as archive:
            return name in archive.namelist()
    except (OSError, ValueError, zipfile.BadZipFile, NotImplementedError):
        return False


class LayersAbout(BaseModel):
    """The contents of "layers.json", which describes the pictures beside it. Lengths in mm, areas in mm², times in
    seconds.
    """

    model_config = ConfigDict(frozen=True, extra="ignore", allow_inf_nan=False)

    layers: int = Field(gt=0, le=_MOST_LAYERS)
    layer_mm: float = Field(gt=0, le=10)
    pixel_mm: float = Field(gt=0, le=10)
    columns: int = Field(gt=0, le=_MOST_PIXELS)
    rows: int = Field(gt=0, le=_MOST_PIXELS)
    bottom_layers: int = Field(ge=0)
    bottom_seconds: float = Field(ge=0, le=_MOST_SECONDS)
    exposure_seconds: float = Field(ge=0, le=_MOST_SECONDS)
    lift_seconds: float = Field(ge=0, le=_MOST_SECONDS)
    areas_mm2: tuple[Annotated[float, Field(ge=0)], ...]


def _refused(why: str) -> UnreadableFile:
    return UnreadableFile(why, kept="Nothing is printed.")


def _of_pictures(path: Path, printer: Printer) -> Load:
    try:
        with zipfile.ZipFile(path) as archive:
            about = LayersAbout.model_validate_json(_part(archive, ABOUT, _MOST_ABOUT))
            _refuse_other_printers(about, printer)
            there = set(archive.namelist())
            missing = next((name for n in range(about.layers) if (name := name_of(n)) not in there), None)
            if missing is not None:
                raise _refused(f"The picture {missing} is missing in it.")
            for n in np.unique(np.linspace(0, about.layers - 1, _LOOKED_AT).astype(int)).tolist():
                white, area = _white(archive, name_of(n), about) * about.pixel_mm**2, about.areas_mm2[n]
                if abs(white - area) > 0.01 * area + 0.01:
                    raise _refused(f"The picture {name_of(n)} shows {white:.2f} mm², and not {area:.2f}.")
    except ValidationError as error:
        raise _refused(f"Its {ABOUT} makes no sense ({first_problem(error)}).") from error
    except (*_DAMAGED, ValueError) as error:
        raise _refused(f"It cannot be read ({error}).") from error
    grams = math.fsum(about.areas_mm2) * about.layer_mm / 1000 * printer.material_density
    bottoms, rest = min(about.layers, about.bottom_layers), about.exposure_seconds + about.lift_seconds
    return Load(about.layers, bottoms, about.bottom_seconds, rest, grams)


def _refuse_other_printers(about: LayersAbout, printer: Printer) -> None:
    """Check that the pictures were made for this printer, and that there are as many as stated.

    Raises
    ------
    UnreadableFile
        They were made for another printer, or some are missing.
    """
    if printer.kind != "resin":
        raise _refused("This printer lays filament; it cannot expose pictures.")
    size, wanted = (about.columns, about.rows), picture_size(printer)
    if abs(about.pixel_mm - printer.line_width) > 1e-6 or size != wanted:
        raise _refused(
            f"Its pictures have {size[0]} × {size[1]} pixels of {about.pixel_mm:g} mm; this printer has "
            f"{wanted[0]} × {wanted[1]} of {printer.line_width:g} mm."
        )
    high = about.layers * about.layer_mm
    if high > printer.height + _OVER:
        raise _refused(f"It is {high:.1f} mm high, and there is room for {printer.height:g}.")
    if len(about.areas_mm2) != about.layers:
        raise _refused(f"It says the areas of {len(about.areas_mm2)} layers, and has {about.layers}.")


def _part(archive: zipfile.ZipFile, name: str, most: int) -> bytes:
    """A part of an archive. If it is larger than ``most`` bytes it is refused before it is unpacked."""
    size = archive.getinfo(name).file_size
    if size > most:
        raise _refused(f"{name} in it unpacks to {size / 2**20:,.0f} MB, and {most / 2**20:,.0f} MB are the most.")
    return archive.read(name)


def _white(archive: zipfile.ZipFile, name: str, about: LayersAbout) -> int:
    """The number of white pixels of a picture.

    Raises
    ------
    UnreadableFile, ValueError
        The picture cannot be read.
    """
    from PIL import Image

    # as large as it may be at a byte for each of four colours, with some room for what is said beside them
    content = _part(archive, name, 4 * about.columns * about.rows + _MOST_ABOUT)
    size = struct.unpack(">II", content[16:24]) if content[:8] == b"\x89PNG\r\n\x1a\n" and len(content) > 24 else None
    if size is None:
        raise ValueError(f"{name} is no PNG")
    if size != (about.columns, about.rows):  # looked at before anything is unpacked
        raise ValueError(f"{name} has {size[0]} × {size[1]} pixels")
    with Image.open(io.BytesIO(content), formats=["PNG"]) as opened:
        return int(opened.convert("1").histogram()[255])


def _solids(path: Path) -> list[Solid]:
    model, reader = strict_reader()
    try:
        check_package(path)
        reader.ReadFromFile(str(path))
        solids = [Solid(corners, faces) for _, corners, faces in items_in(model)]
    except (lib3mf.ELib3MFException, DeftError, ValueError) as error:
        why = error.what if isinstance(error, DeftError) else error
        raise _refused(f"It is no 3MF that can be read ({why}).") from error
    if not solids:
        raise _refused("Nothing is on the bed in it.")
    if not all(solid.closed for solid in solids):
        raise _refused("A body in it is not closed.")
    if any(solid.volume <= 0 for solid in solids):
        raise _refused("A body in it is inside out, or has no inside.")
    return solids


def _refuse_beyond(corners: Floats, printer: Printer) -> None:
    """Refuse what extends beyond the bed. If it is far too large or too small, the message says that the unit is
    wrong.
    """
    low, high = corners.min(axis=0), corners.max(axis=0)
    size, room = high - low, np.array([printer.bed_x, printer.bed_y, printer.height])
    if printer.endless:
        room["xy".index(printer.endless)] = np.inf
    said = " × ".join(f"{side:.3g}" for side in size)
    if (size > 10 * room).any() or size.max() < 0.5:
        raise _refused(f"It is {said} mm: its unit must be wrong.")
    if (low < -_OVER).any() or (high > room + _OVER).any():
        raise _refused(f"It is {said} mm and sticks out of the bed of {printer.label}.")
