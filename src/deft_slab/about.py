"""The versions of the program and of the libraries behind its figures. Quick to load, because none of them is
imported.
"""

from __future__ import annotations

import platform
from importlib.metadata import PackageNotFoundError, version

from . import __version__

FIGURES_FROM = (
    "numpy", "scipy", "numba", "manifold3d", "shapely", "trimesh", "libigl", "scikit-image", "fast-simplification",
    "embreex", "lib3mf", "cascadio",
)
"""Libraries that make or read what figures are computed from: another release may move their last digits."""
SHOWN_BY = ("PySide6-Essentials", "vtk", "pydantic", "reportlab", "pillow", "fonttools")


def versions() -> dict[str, str]:
    """The versions of the program, of Python, and of the libraries, those that figures depend on first; "none" for
    one that is missing.
    """
    found = {"deft-slab": __version__, "python": platform.python_version()}
    for name in (*FIGURES_FROM, *SHOWN_BY):
        try:
            found[name] = version(name)
        except PackageNotFoundError:
            found[name] = "none"
    return found


def sentence() -> str:
    """All versions, one on each line."""
    found = versions()
    first = f"deft-slab {found.pop('deft-slab')}"
    about = "figures depend on: " + ", ".join(f"{name} {found[name]}" for name in ("python", *FIGURES_FROM))
    shown = "shown and written by: " + ", ".join(f"{name} {found[name]}" for name in SHOWN_BY)
    return "\n".join((first, about, shown))
