"""The kinds of join: documents that say what holds two pieces together where a cut has parted them, and can build
it. One module for each kind.

Every module in this folder is imported, and a class in it that states its ``kind`` is a kind of join; see
``kind.Join`` for what it must have. Lengths are in mm, points and directions in the model frame; clearances are per
side.
"""

from __future__ import annotations

from .band import BandJoin
from .dowel import STOCK, THICKEST, THINNEST, DowelJoin
from .glue import GlueJoin
from .key import KeyJoin
from .kind import JOINS, AnyJoin, Join, Made, Site, Which, other
from .lap import LapJoin
from .letters import LettersJoin
from .loose_key import LooseKeyJoin
from .peg import Peg
from .pivot import PivotJoin
from .splint import SplintJoin
from .strip import Strip

__all__ = [
    "JOINS", "STOCK", "AnyJoin", "BandJoin", "DowelJoin", "GlueJoin", "Join", "KeyJoin", "LapJoin", "LettersJoin",
    "LooseKeyJoin", "Made", "Peg", "PivotJoin", "Site", "SplintJoin", "Strip", "THICKEST", "THINNEST", "Which", "other",
]
