"""The base of every kind of cut, and the register of kinds.

The geometry of a kind lives in its own module too, but whatever that needs is imported when a cut is first made,
because plans are read and shown long before.
"""

from __future__ import annotations

from abc import abstractmethod
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal

from pydantic import BeforeValidator, Field, SerializeAsAny

from ..arrays import Bools, Floats
from ..document.base import Document, Name, Triple, of_kind
from ..document.marks import Region
from ..errors import CutFailed
from ..locale.translate import tr
from ..progress import QUIET, Job
from .move import Move
from .reach import Picked, Reach

if TYPE_CHECKING:
    import manifold3d

    from ..geometry.splitting import Parted
    from ..mesh.solid import Solid

KINDS: dict[str, type[Cut]] = {}
"""Each kind of cut by the name of its kind."""


def no_region(region: Region) -> Bools:
    """For cuts that have no region.

    Raises
    ------
    CutFailed
        Always.
    """
    raise CutFailed(tr("There is no surface to pick a region on."))


class Cut(Document):
    """The base of all cuts: what they have in common, and what each kind must say about itself.

    Attributes
    ----------
    on : bool
        Whether the cut is made.
    kerf : float, mm
        How much material it removes: the width of the cut.
    crumbs : Literal[keep, neighbour, drop]
        What becomes of loose fragments that it leaves by accident.
    reach : Reach | None
        Where it stops; None: it goes through everything.
    """

    id: Name
    name: Name
    on: bool = True
    kerf: float = Field(default=0.0, ge=0, le=50)
    crumbs: Literal["keep", "neighbour", "drop"] = "keep"
    reach: Reach | None = None
    kind: str

    two_sided: ClassVar[bool] = True
    """Its sides are +1 and -1, and not numbers of cells or bodies."""
    takes_off: ClassVar[bool] = True
    """What lies on its side +1 is taken off the rest; else both sides are alike."""
    settles: ClassVar[bool] = False
    """It can be moved to where its seam is less seen: see ``search.settling``."""

    @classmethod
    def __pydantic_init_subclass__(cls, **_: Any) -> None:
        kind = cls.model_fields["kind"].default
        if isinstance(kind, str):
            KINDS[kind] = cls

    @property
    def bounded(self) -> bool:
        """Whether it stops at a place. A cut that only applies to some pieces does not."""
        return self.reach is not None and self.reach.kind not in ("piece", "rest")

    @property
    def picked_regions(self) -> tuple[Region, ...]:
        """The regions of the surface that it needs. It applies to the pieces that have them."""
        own = (getattr(self, "region", None), getattr(self.reach, "region", None))
        return tuple(region for region in own if region is not None)

    @abstractmethod
    def part(self, solid: Solid, picked: Picked = no_region, job: Job = QUIET) -> Parted:
        """Split a solid. The new faces bear the id of the cut. A side that consists of several bodies is one solid
        here.

        Parameters
        ----------
        picked : Picked
            Gives the facets of this solid that a region covers.

        Raises
        ------
        OpenSurface
            The solid is not closed.
        CutFailed
            The cut cannot be made.
        Cancelled
            The job is no longer wanted.
        """

    @abstractmethod
    def side_word(self, side: int, rotation: Floats) -> str:
        """A word for the pieces on a side, such as "upper"; empty if the cut leaves them as they were.

        Parameters
        ----------
        rotation : (3, 3) float64
            The rotation of the standing model.
        """

    @abstractmethod
    def moved(self, move: Move) -> dict[str, Any]:
        """The fields, except the reach, that change when the model is stretched, mirrored or moved."""

    def renumbered(self, move: Move) -> dict[int, int]:
        """The new numbers of those sides that get another one when the cut is moved."""
        return {}

    def planes(self) -> list[tuple[Floats, float]]:
        """Those of its planes that go through everything.

        Returns
        -------
        list of ((3,) float64, float)
            The unit normal, and the offset in mm.
        """
        return []

    def way_off(self) -> Triple | None:
        """The unit vector along which the part on side +1 comes off, if that is known from the cut alone."""
        return None

    def why_not(self) -> str:
        """What is said if it cuts nothing: "passes beside the model"."""
        return tr("cuts nothing within its reach") if self.reach is not None else tr("passes beside the model")

    def carried(self, move: Move) -> Cut:
        """The same cut on the moved model."""
        reach = {} if self.reach is None else {"reach": self.reach.carried(move)}
        return type(self).model_validate({**self.model_dump(), **reach, **self.moved(move)})


class BodyCut(Cut):
    """A cut along the surface of a closed body; what lies inside the body is the side +1."""

    @abstractmethod
    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        """The body.

        Parameters
        ----------
        grow : float
            By how much it is larger all round, in mm. A kerf is cut in this way, and the reach of the cut grows
            with it.

        Raises
        ------
        CutFailed
            It cannot be made.
        """

    def part(self, solid: Solid, picked: Picked = no_region, job: Job = QUIET) -> Parted:
        from ..geometry.splitting import Parted, split_by_body, taken_over

        def within(grow: float) -> manifold3d.Manifold:
            made = self.body(solid, picked, grow)
            return made ^ self.reach.body(solid, picked, grow) if self.bounded and self.reach else made

        inside, outside, kerf = split_by_body(solid.manifold, within, self.kerf / 2)
        return Parted(taken_over(solid, [(1, inside), (-1, outside)], self.id, self.name), kerf)


def _of_its_kind(given: object) -> object:
    """A cut made from data that was read."""
    return of_kind(given, KINDS, "cut")


AnyCut = Annotated[SerializeAsAny[Cut], BeforeValidator(_of_its_kind)]
"""A cut of any registered kind, in a document."""
