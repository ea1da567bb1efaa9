"""The registry of file formats: every other part of the program takes names, endings and abilities from here."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Format:
    """One file format for models.

    Attributes
    ----------
    name : str
        The name as people write it, such as "STL".
    endings : tuple[str, ...]
        The file endings, the usual one first.
    writes : bool
        Whether pieces and beds can be written in this format.
    has_unit : bool
        Whether files in this format state the unit of their numbers.
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
    """The names of the formats that can be read (or written), as one list: "STL, 3MF, OBJ".

    Parameters
    ----------
    written : bool
        List the formats that can be written instead.
    """
    return ", ".join(one.name for one in FORMATS if one.writes or not written)


def chooser(*, written: bool = False) -> str:
    """The endings of the formats that can be read (or written), as a file dialog expects them: "*.stl *.3mf".

    Parameters
    ----------
    written : bool
        List the formats that can be written instead.
    """
    return " ".join(f"*{ending}" for one in FORMATS if one.writes or not written for ending in one.endings)
