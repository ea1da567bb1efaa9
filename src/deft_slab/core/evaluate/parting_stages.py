"""The first stages of the pipeline: from the opened model and a plan to the parts that its cuts leave.

Each stage is a function of the documents that it depends on, and is cached by them: the bodies depend on roles and
mending, the marks on marks and audience, the size on scale and stretch, and the parts on the recipe.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from functools import partial
from typing import TypeVar

import numpy as np

from ..arrays import Bools, Floats
from ..cache import Cache
from ..cuts import Cut
from ..document.marks import Mark, Region
from ..errors import OpenSurface
from ..figures.marked_facets import Marked, facets_taken, joined_marks, marked, unmarked
from ..figures.seams import seam_of
from ..locale.translate import tr
from ..mesh.components import shells_of, specks_among
from ..mesh.solid import Solid
from ..parting.apply_cuts import Stage, cut_all, nameless
from ..parting.bodies import Part, Uncut, mended_groups
from ..plan.model import Model
from ..plan.plan import Plan
from ..progress import QUIET, Job, Spread
from ..results.outcome import Seam
from .exposure_cache import Exposures

T = TypeVar("T")


@dataclass(frozen=True, eq=False)
class Cutting:
    """A model cut by a recipe.

    Attributes
    ----------
    uncut : Uncut
        Its bodies, mended and at their size.
    parts : list[Part]
        What the cuts leave.
    stages : list[tuple[Cut, Stage]]
        Each cut that is on, with what there is after it.
    """

    uncut: Uncut
    parts: list[Part]
    stages: list[tuple[Cut, Stage]]

    @property
    def parting(self) -> list[Cut]:
        """The cuts that part anything."""
        return [cut for cut, stage in self.stages if stage.report.parts]


@dataclass(frozen=True, eq=False)
class PartingStages:
    """The first stages for one model.

    Attributes
    ----------
    model : Model
        The model as it was opened.
    cache : Cache
        Caches the result of each stage.
    spread : Spread
        See ``progress.Spread``.
    """

    model: Model
    cache: Cache
    spread: Spread

    @property
    def exposures(self) -> Exposures:
        """The exposure of bodies, in the same cache."""
        return Exposures(self.cache, self.spread)

    def bodies(self, plan: Plan, job: Job) -> Uncut:
        """The bodies of a plan, mended, in units of the file. Raises as ``Evaluator.evaluate``."""
        shells = self.cache.once("shells", lambda: shells_of(self.model.solid))
        specks = specks_among(shells, plan.factors)
        key = ("base", plan.roles, plan.mending, specks.tobytes())
        return self.cache.once(
            key, lambda: mended_groups(self.model, plan, key, job), len(self.model.solid.triangles)
        )

    def light(self, uncut: Uncut, triangles: int, job: Job) -> Uncut:
        """A draft mesh of the bodies.

        Parameters
        ----------
        triangles : int
            About how many triangles it has.
        """
        return self.cache.once(("light", triangles, uncut.key), lambda: uncut.lighter(triangles, job))

    def sized(self, plan: Plan, uncut: Uncut) -> Uncut:
        """The bodies scaled to the size that the plan gives them, in mm.

        Parameters
        ----------
        uncut : Uncut
            The bodies in units of the file.
        """
        factors = plan.factors
        return self.cache.once(
            ("sized", uncut.key, tuple(factors)), partial(uncut.resized, factors), uncut.triangles
        )

    def marks(self, plan: Plan, uncut: Uncut, job: Job) -> Marked:
        """The marks of a plan on all triangles of the bodies.

        Parameters
        ----------
        uncut : Uncut
            The bodies in units of the file.

        Raises
        ------
        Cancelled
            The job is no longer wanted.
        """
        if not plan.marks:
            return unmarked(uncut.triangles)

        def take(key: Hashable, solid: Solid, mark: Mark) -> Bools:
            # each mark by itself, so that a stroke more does not cost all strokes anew
            seen = partial(self.exposures.of, key, solid, job)
            count = len(solid.triangles)
            return self.cache.once(("taken", key, mark), lambda: facets_taken(solid, mark, seen), count // 250)

        found = []
        for number, group in enumerate(uncut.groups):
            one = partial(take, (uncut.key, number), group.solid)
            found.append(marked(len(group.solid.triangles), plan.marks, one))
        return joined_marks(found)

    def cut(self, plan: Plan, uncut: Uncut, job: Job) -> Cutting:
        """The bodies cut by the recipe of a plan. Raises as ``Evaluator.evaluate``.

        Parameters
        ----------
        uncut : Uncut
            The bodies at their size.
        """
        parts = [Part((uncut.key, number), group.solid, (), number) for number, group in enumerate(uncut.groups)]
        active = [cut for cut in plan.recipe if cut.on]
        problem = uncut.defects.sentence()
        if active and problem:
            raise OpenSurface(problem, kept=tr("Nothing was cut."), remedy=tr("Close the surface before you cut it."))
        whole = math.fsum(abs(group.solid.volume) for group in uncut.groups)
        masks = partial(self._region, uncut)
        key: tuple[Hashable, ...] = ("parts", uncut.key)
        stages = []
        for number, cut in enumerate(active):
            key = (*key, nameless(cut))
            step = job.part(number / len(active), (number + 1) / len(active))
            make: Callable[[], Stage] = partial(cut_all, parts, cut, key, whole, masks, step)
            stage = self.cache.once(key, make, uncut.triangles)
            parts = stage.parts
            stages.append((cut, stage))
        return Cutting(uncut, parts, stages)

    def parted(self, plan: Plan, job: Job) -> Cutting:
        """All of these stages together: the parts of a plan. Raises as ``Evaluator.evaluate``."""
        return self.cut(plan, self.sized(plan, self.bodies(plan, job.part(0.0, 0.5))), job.part(0.5, 1.0))

    def seams(
        self, plan: Plan, cutting: Cutting, exposed: Floats | None, marks: Marked
    ) -> dict[str, Seam]:
        """The seam of each cut that is on, by its id, as it is right after that cut. What later cuts do to the
        pieces changes nothing about it.

        Parameters
        ----------
        exposed : (triangles of the uncut,) float64
            Exposure to the audience; None if nobody asks for it.
        """
        audience = plan.audience if exposed is not None else None
        found = {}
        for cut, stage in cutting.stages:
            solids = [part.solid for part in stage.made if not cut.two_sided or part.sides[-1].side == 1]
            key = ("seam", tuple(part.key for part in stage.made), audience, cutting.uncut.key, plan.marks)
            share = 1.0 if cut.two_sided else 0.5
            found[cut.id] = self.cache.once(key, partial(seam_of, solids, cut.id, exposed, share, marks))
        return found

    def _region(self, uncut: Uncut, region: Region) -> Bools:
        """The triangles of the uncut model that a region takes.

        Parameters
        ----------
        uncut : Uncut
            The bodies at their size, as cuts see them.

        Returns
        -------
        (triangles of the uncut,) bool
        """

        def take(number: int, solid: Solid) -> Bools:
            return facets_taken(solid, region, partial(self.exposures.of, (uncut.key, number), solid, QUIET))

        def all_groups() -> Bools:
            return np.concatenate([take(number, group.solid) for number, group in enumerate(uncut.groups)])

        return self.cache.once(("region", uncut.key, region), all_groups, uncut.triangles // 250)
