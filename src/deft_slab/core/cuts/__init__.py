"""The kinds of cut: documents that say where a model is parted and can carry it out. One module for each kind.

Every module in this folder is imported, and a class in it that states its ``kind`` is a kind of cut; see ``kind.Cut``
for what it must have. Lengths are in mm, points and directions in the model frame.
"""

from __future__ import annotations

import pkgutil
from importlib import import_module

from .bent import BentCut
from .block import MOST_CELLS, MOST_WALLS, BlockCut, walls_as
from .bodies import BodiesCut
from .box import BoxCut
from .kind import KINDS, AnyCut, Cut
from .lift_off import LiftOffCut
from .move import Move
from .patch import PatchCut
from .reach import MOST_POINTS, BoxReach, OutlineReach, PieceReach, Reach, RegionReach, RestReach, Side
from .scoop import ScoopCut
from .straight import StraightCut

for _module in pkgutil.iter_modules(__path__):
    import_module(f"{__name__}.{_module.name}")

__all__ = [
    "KINDS", "MOST_CELLS", "MOST_POINTS", "MOST_WALLS", "AnyCut", "BentCut", "BlockCut", "BodiesCut", "BoxCut",
    "BoxReach", "Cut", "LiftOffCut", "Move", "OutlineReach", "PatchCut", "PieceReach", "Reach", "RegionReach",
    "RestReach", "ScoopCut", "Side", "StraightCut", "walls_as",
]
