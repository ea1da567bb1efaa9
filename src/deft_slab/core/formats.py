"""The formats of models: what the program, the window, the commands and the docs know of each. Light to load."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Format:
    """Attributes
    ----------
    name : str
        As people write it.
    endings : tuple[str, ...]
        Of its files, the usual one first.
    writes : bool
        Pieces and beds can be written in it.
    has_unit : bool
        Its files say what one unit is.
    """

    name: str
    endings: tuple[str, ...]
    writes: bool
    has_unit: bool


FORMATS = (
    Format("STL", (".stl",), writes=True, has_unit=False),
    Format("3MF", (".3mf",), writes=True, has_unit=True),
    Format("OBJ", (".obj",), writes=True, has_unit=False),
    Format("PLY", (".ply",), writes=True, has_unit=False),
    Format("OFF", (".off",), writes=True, has_unit=False),
    Format("GLB", (".glb",), writes=True, has_unit=True),
    Format("glTF", (".gltf",), writes=False, has_unit=True),
    Format("STEP", (".step", ".stp"), writes=False, has_unit=True),
)
"""All of them are read. glTF and STEP are read only: pieces in them would be larger and say no more."""
WRITTEN = tuple(one.endings[0][1:] for one in sorted(FORMATS, key=lambda one: one.name != "3MF") if one.writes)
"""Endings, without their point, of those that are written; 3MF, which holds several pieces with their names, first."""
UNITLESS = tuple(one.endings[0][1:] for one in FORMATS if not one.has_unit)
"""Endings, without their point, of those that do not say what one unit is."""
READ = tuple(ending for one in FORMATS for ending in one.endings)
"""Endings of all files that may hold a model."""


def names(*, written: bool = False) -> str:
    """The names of all formats that are read, or of those that are written: "STL, 3MF, OBJ"."""
    return ", ".join(one.name for one in FORMATS if one.writes or not written)


def chooser(*, written: bool = False) -> str:
    """Their endings, as a dialog for files takes them: "*.stl *.3mf"."""
    return " ".join(f"*{ending}" for one in FORMATS if one.writes or not written for ending in one.endings)
