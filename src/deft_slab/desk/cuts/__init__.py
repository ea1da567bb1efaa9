"""Kinds of cut in the window: their words and fields, and how they are drawn, dragged and placed. One module for
each kind.

Every module in this folder is loaded. A class in it that sets ``kind`` is what that kind has in the window.
"""

from __future__ import annotations

import pkgutil
from importlib import import_module

from .context import CutContext
from .kind import ON_DESK, Box, GripDrag, OnDesk, Parts, Tools, on_desk

for _module in pkgutil.iter_modules(__path__):
    import_module(f"{__name__}.{_module.name}")

__all__ = ["ON_DESK", "Box", "CutContext", "GripDrag", "OnDesk", "Parts", "Tools", "on_desk"]
