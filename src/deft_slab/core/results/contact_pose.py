"""How the face of a contact lies in the seat of its piece."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np

from ..arrays import Floats
from .outcome import Piece

_LYING = math.cos(math.radians(2.0))
_ON_THE_BED = 0.25
"""mm over the bed at which a face still lies on it."""
_UPRIGHT = math.sin(math.radians(45.0))

Lies = Literal["down", "up", "sideways", "under"]
"""On the bed; facing up; upright; facing down over the bed."""


@dataclass(frozen=True, eq=False)
class ContactPose:
    """How a contact face lies while its piece is printed.

    Attributes
    ----------
    lies : Lies
        Which way the face lies, in one word.
    rise : float
        The vertical component of its outward normal, -1 to 1.
    up : (3,) float64
        The upward direction, in the model frame.
    """

    lies: Lies
    rise: float
    up: Floats

    @classmethod
    def of(cls, piece: Piece, place: Floats, outward: Floats) -> ContactPose:
        """The pose of a contact face of a piece in its seat.

        Parameters
        ----------
        piece : Piece
            The piece.
        place : (3,) float64, mm
            A point on the face.
        outward : (3,) float64
            Unit vector out of the piece, model frame.
        """
        up = piece.seat.rotation[2]
        rise = float(up @ outward)
        over = float(place @ up) - float((piece.solid.vertices @ up).min())
        if rise < -_LYING and over < _ON_THE_BED:
            lies: Lies = "down"
        elif abs(rise) < _UPRIGHT:
            lies = "sideways"
        else:
            lies = "up" if rise > 0 else "under"
        return cls(lies, rise, np.asarray(up))
