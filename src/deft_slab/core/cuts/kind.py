"""What every kind of cut has, and the register of kinds.

The geometry of a kind is in its own module too, but what that needs is loaded when a cut is first made: plans are read
and shown long before.
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
    """For cuts that have none. Gives no (m,) facets. Raises CutFailed."""
    raise CutFailed(tr("There is no surface to pick a region on."))


class Cut(Document):
    """What all cuts have, and what each kind must say of itself.

    Attributes
    ----------
    on : bool
        Whether it is made.
    kerf : float, mm
        Of material that it removes.
    crumbs : Literal[keep, neighbour, drop]
        What becomes of loose fragments that it leaves by accident.
    reach : Reach | None
        Where it stops, None where it goes through everything.
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
        """Whether it stops at a place; one that only meets some pieces does not."""
        return self.reach is not None and self.reach.kind not in ("piece", "rest")

    @property
    def picked_regions(self) -> tuple[Region, ...]:
        """The regions of the surface without which it cannot be made: it meets the pieces that have them."""
        own = (getattr(self, "region", None), getattr(self.reach, "region", None))
        return tuple(region for region in own if region is not None)

    @abstractmethod
    def part(self, solid: Solid, picked: Picked = no_region, job: Job = QUIET) -> Parted:
        """The sides that it makes of a solid; its faces bear its id. A side that hangs together in several places is
        one solid here.

        Parameters
        ----------
        picked : Picked
            Gives the facets of this solid that a region takes.

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
        """What pieces on a side are called: "upper"; empty where it leaves them as they were.

        Parameters
        ----------
        rotation : (3, 3) float64
            How the model stands.
        """

    @abstractmethod
    def moved(self, move: Move) -> dict[str, Any]:
        """What changes of it, but for its reach, when the model is stretched, mirrored or moved."""

    def renumbered(self, move: Move) -> dict[int, int]:
        """What becomes of the numbers of its sides when it is moved: the new one of each that gets another."""
        return {}

    def planes(self) -> list[tuple[Floats, float]]:
        """(unit normal, offset in mm) of its planes that go through everything."""
        return []

    def way_off(self) -> Triple | None:
        """Unit vector along which what lies on its side +1 comes off, where that can be told without looking."""
        return None

    def why_not(self) -> str:
        """Said of it where it parts nothing: "passes beside the model"."""
        return tr("parts nothing within its reach") if self.reach is not None else tr("passes beside the model")

    def carried(self, move: Move) -> Cut:
        """The same cut on the moved model."""
        reach = {} if self.reach is None else {"reach": self.reach.carried(move)}
        return type(self).model_validate({**self.model_dump(), **reach, **self.moved(move)})


class BodyCut(Cut):
    """A cut with a closed body that has its face on the surface: what lies inside is the side +1."""

    @abstractmethod
    def body(self, solid: Solid, picked: Picked, grow: float) -> manifold3d.Manifold:
        """The body, ``grow`` mm larger all round: that is how a kerf is cut, and how the reach of a cut goes with it.

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
    """A cut from what was read of it."""
    return of_kind(given, KINDS, "cut")


AnyCut = Annotated[SerializeAsAny[Cut], BeforeValidator(_of_its_kind)]
"""A cut of any registered kind, in a document."""
