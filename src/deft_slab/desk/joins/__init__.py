"""What each kind of join has in the window: its words, its fields, and how a new one is made. Every module in this
folder is loaded.
"""

from __future__ import annotations

import pkgutil
from importlib import import_module

from .kind import ON_DESK, JoinOnDesk, Switch, Where

for _module in pkgutil.iter_modules(__path__):
    import_module(f"{__name__}.{_module.name}")

__all__ = ["ON_DESK", "JoinOnDesk", "Switch", "Where"]
