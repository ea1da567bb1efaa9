"""What was written."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Written:
    """A file that was written.

    Attributes
    ----------
    path : Path
        Its path.
    pieces : int
        How many pieces are in it, or are to be printed from it.
    beds : int
        How many beds they take.
    """

    path: Path
    pieces: int
    beds: int
