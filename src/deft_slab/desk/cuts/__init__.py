"""Kinds of cut on the desk: words, fields, how one is drawn, dragged and placed. One module for each kind.

Every module in this folder is loaded, and a class in it that names its ``kind`` is what that kind has on the desk.
"""

from __future__ import annotations

import pkgutil
from importlib import import_module

from .context import CutContext
from .kind import ON_DESK, Box, GripDrag, OnDesk, Parts, Tools, on_desk

for _module in pkgutil.iter_modules(__path__):
    import_module(f"{__name__}.{_module.name}")

__all__ = ["ON_DESK", "Box", "CutContext", "GripDrag", "OnDesk", "Parts", "Tools", "on_desk"]
