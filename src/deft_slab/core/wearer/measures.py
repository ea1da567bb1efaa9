"""The forms of a wearer, and what each is made from. Quick to import, because the window lists them."""

from __future__ import annotations

from dataclasses import dataclass

from ..locale.translate import tr
from ..plan.plan import GuestForm


@dataclass(frozen=True)
class Form:
    """A form of the wearer.

    Attributes
    ----------
    title : str
        What it is called.
    measure : str
        What its one measure is.
    usual, least, most : float, mm
        The usual measure and its limits.
    """

    title: str
    measure: str
    usual: float
    least: float
    most: float


FORMS: dict[GuestForm, Form] = {
    "head": Form(tr("Head"), tr("girth above the brow"), 570.0, 300.0, 800.0),
    "hand": Form(tr("Hand"), tr("length, wrist to fingertip"), 188.0, 80.0, 260.0),
    "forearm": Form(tr("Forearm"), tr("largest girth"), 290.0, 120.0, 500.0),
}
