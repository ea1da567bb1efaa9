"""What was written."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Written:
    """Attributes
    ----------
    path : Path
        The file.
    pieces : int
        How many are in it, or are to be printed of it.
    beds : int
        How many beds they take.
    """

    path: Path
    pieces: int
    beds: int
