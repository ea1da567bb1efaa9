"""What was written."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Written:
    """path : the file; pieces : how many are in it, or are to be printed of it; beds : how many beds they take"""

    path: Path
    pieces: int
    beds: int
