"""Check: what was found on the pieces, layer by layer, the height that is viewed, and which findings were accepted."""

from __future__ import annotations

import math
from collections import OrderedDict
from typing import Literal

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from ...core.document.base import triple
from ...core.document.marks import LeftAlone, Mark
from ...core.errors import DeftError
from ...core.inspection.accepted import with_left
from ...core.inspection.findings import Finding, Inspection, LayerTotals, SectionFace
from ...core.locale.translate import tr
from ...core.plan.plan import Plan
from ...core.printers.profile import Printer
from ..messages.check import CheckPieces, CutSection, LightenPieces
from ..messages.replies import Light
from .desk import Desk

_KEPT = 64
_REST = 140
"""ms without a move after which the exact section is asked for: longer than a slow renderer takes for a picture, or it
would be taken for a rest."""

_HOLD = 1.5
"""mm around a place where support is asked for."""

Keeps = Literal["below", "above"]


class Checking(QObject):
    """The check of the pieces.

    Attributes
    ----------
    layer : float, mm, or None
        The layer height that is examined; None: the printer's usual one.
    keeps : str
        Whether what is below the height is drawn, or what is above it.
    z : float, mm, on the bed
        The height at which pieces are cut off; inf: not at all.
    whole_bed : bool
        Whether all pieces are viewed rather than the selected one.
    flown : Finding or None
        The finding that the view flew to last.
    """

    changed = Signal()
    flown_to = Signal(int, object)
    """The number of a piece, and what was found there."""

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._desk = desk
        self.layer: float | None = None
        self.keeps: Keeps = "below"
        self.z = math.inf
        self.whole_bed = False
        self.flown: Finding | None = None
        self._found: OrderedDict[tuple[Plan, Printer, float | None], tuple[Inspection, ...]] = OrderedDict()
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST)
        self._rest.timeout.connect(self._ask_section)
        desk.opened.connect(self._on_opened)
        desk.outcome_changed.connect(self._on_outcome)
        desk.step_changed.connect(self._on_step)
        desk.project_changed.connect(self.changed)
        desk.selection_changed.connect(self.changed)

    def _on_opened(self) -> None:
        self._found.clear()
        self.layer, self.z, self.flown = None, math.inf, None
        self.changed.emit()

    def _on_outcome(self) -> None:
        self.flown = None
        if self._desk.view.lights:
            self._desk.show(lights=())
        if self._desk.step == "Check":
            self.ask()
            self.set_height(self.z)
        self.changed.emit()

    def _on_step(self) -> None:
        if self._desk.step == "Check":
            self.ask()
            self.set_height(math.inf)
        elif self._desk.view.faces or self._desk.view.lights or math.isfinite(self._desk.view.hidden_above):
            self._desk.show(hidden_above=math.inf, hidden_below=0.0, faces=(), lights=())

    # what was found

    def _key(self, plan: Plan) -> tuple[Plan, Printer, float | None]:
        return plan.changed(left=(), lying=()), self._desk.printer, self.layer

    def of(self, plan: Plan) -> tuple[Inspection, ...] | None:
        """The findings of a plan; None while they are not known."""
        found = self._found.get(self._key(plan))
        if found is None:
            return None
        return tuple(with_left(one, plan.left, plan.factors) for one in found)

    @property
    def found(self) -> tuple[Inspection, ...]:
        """The findings of the pieces on the bed; empty while they are not known."""
        return (self.of(self._desk.plan) or ()) if self._desk.is_open else ()

    @property
    def piece(self) -> Inspection | None:
        """The findings of the selected piece."""
        found = self.found
        return found[min(self._desk.selected_piece, len(found) - 1)] if found else None

    def totals(self, plan: Plan) -> LayerTotals | None:
        """The totals of a plan in the ledger; None while they are not known."""
        found = self.of(plan)
        return LayerTotals.of(found, self._desk.printer.cup_depth) if found is not None else None

    def ask(self) -> None:
        """Ask for the check of the plan on the bed, then of those in the ledger."""
        desk = self._desk
        if not desk.is_open:
            return
        self._ask("check", desk.plan, tr("Checking the layers"))
        self._lighten()
        for key, name, plan in desk.compared:
            self._ask(f"checks:{key}", plan, tr("Checking the layers of “{name}”", name=name))

    def _lighten(self) -> None:
        """Ask for the simplified pieces that are drawn while the height moves."""
        desk = self._desk
        if not desk.up_to_date or desk.view.lights:
            return

        def show_lights(found: tuple[Light | None, ...]) -> None:
            if desk.step == "Check" and len(found) == len(desk.pieces):
                desk.show(lights=found)

        desk.ask("check:light", LightenPieces(desk.plan, desk.printer), done=show_lights, failed=lambda _: None)

    def _ask(self, lane: str, plan: Plan, label: str) -> None:
        desk, key = self._desk, self._key(plan)
        if key in self._found:
            return

        def take_inspections(found: tuple[Inspection, ...]) -> None:
            self._found[key] = found
            while len(self._found) > _KEPT:
                self._found.popitem(last=False)
            self.changed.emit()
            desk.entries_changed.emit()

        failed = desk.failed.emit if lane == "check" else lambda _: None
        desk.jobs.submit(lane, CheckPieces(*key), done=take_inspections, failed=failed, label=label)

    def look_at(self, layer: float | None) -> None:
        """Examine another layer height in mm; None: the printer's usual one."""
        self.layer = layer
        self.ask()
        self.changed.emit()

    # the height that is looked at

    @property
    def top(self) -> float:
        """The height of the highest viewed point over the bed, in mm."""
        desk = self._desk
        if not desk.pieces or desk.piece is None:
            return 0.0
        tallest = max(piece.figures.height_mm for piece in desk.pieces)
        return tallest if self.whole_bed else desk.piece.figures.height_mm

    @property
    def thickness(self) -> float:
        """The height of the layers that are examined, in mm."""
        return self.layer if self.layer is not None else self._desk.piece_printer.layer_height

    def set_height(self, z: float) -> None:
        """Cut off what is drawn at a height over the bed, in mm. At the top, or at the bed if what is above is
        drawn, everything is drawn.
        """
        top = self.top
        all_of_it = z >= top - 1e-9 if self.keeps == "below" else z <= 1e-9 or not math.isfinite(z)
        self.z = math.inf if all_of_it else min(max(z, 0.0), top)
        low, high = (0.0, self.z) if self.keeps == "below" else (0.0 if all_of_it else self.z, math.inf)
        if math.isfinite(self.z):
            self._rest.start()
        else:
            self._rest.stop()
        self._desk.show(hidden_below=low, hidden_above=high, faces=())
        self.changed.emit()

    @property
    def scrubs(self) -> bool:
        """Whether the height is being dragged, so that it may move again at any moment."""
        return self._rest.isActive()

    def set_layer(self, number: int) -> None:
        """View a layer, given its number from 1 on: it becomes the uppermost or the lowest that is drawn."""
        base = self._desk.piece.lift if self._desk.piece is not None and not self.whole_bed else 0.0
        self.set_height(base + (number - 0.5) * self.thickness)

    def step(self, layers: int) -> None:
        """Move up by so many layers; negative moves down."""
        top = self.top
        start = self.z if math.isfinite(self.z) else (top if self.keeps == "below" else 0.0)
        self.set_height(start + layers * self.thickness)

    def keep(self, keeps: Keeps) -> None:
        """Draw what is below the height, or what is above it so that the view onto the bed side is free."""
        self.keeps = keeps
        self.set_height(self.z)

    def look_at_whole_bed(self, *, whole: bool) -> None:
        """Looks at all pieces together, or at the selected one."""
        self.whole_bed = whole
        self.set_height(self.z)

    @property
    def faces(self) -> tuple[SectionFace, ...]:
        """The sections of the viewed pieces, once they are known."""
        faces = self._desk.view.faces
        return faces if self.whole_bed else tuple(face for face in faces if face.number == self._desk.selected_piece)

    def _ask_section(self) -> None:
        desk, z = self._desk, self.z
        if not (desk.is_open and desk.up_to_date and math.isfinite(z)):
            desk.view_changed.emit()  # at rest it is drawn in full
            return

        def show_faces(faces: tuple[SectionFace, ...]) -> None:
            if self.z == z and desk.step == "Check":
                desk.show(faces=faces)  # which draws it in full
                self.changed.emit()

        def failed(_: DeftError) -> None:
            desk.view_changed.emit()

        desk.jobs.submit("section", CutSection(desk.plan, desk.printer, z), done=show_faces, failed=failed, label="")

    # what was found, one by one

    def fly(self, number: int, found: Finding) -> None:
        """Fly to a finding on a piece."""
        self.flown = found
        self._desk.select_piece(number)
        self.flown_to.emit(number, found)
        self.changed.emit()

    def hold(self, number: int, found: Finding) -> None:
        """Ask for support under a finding: a hold spot on the nearest underside."""
        desk = self._desk
        piece = desk.pieces[number]
        solid = piece.solid
        under = np.flatnonzero(solid.normals @ piece.seat.rotation[2] < 0)
        away = np.linalg.norm(solid.centroids[under] - np.array(found.place), axis=1)
        reach = max(_HOLD, float(away.min(initial=np.inf)) + 0.1) if len(under) else _HOLD
        unit = np.asarray(desk.plan.factors)
        mark = Mark(meaning="hold", shape="ball", places=(triple(np.array(found.place) / unit),),
                    half=triple(reach / np.abs(unit)))
        desk.change(tr("mark a hold spot"), lambda: desk.plan.changed(marks=(*desk.plan.marks, mark)))

    def leave(self, found: Finding) -> None:
        """Accept a finding as it is."""
        desk = self._desk
        x, y, z = (float(value) for value in triple(found.place))
        fx, fy, fz = desk.plan.factors
        alone = LeftAlone(kind=found.kind, place=(x / fx, y / fy, z / fz))
        desk.do_plan(tr("leave {word} on purpose", word=found.word), desk.plan.changed(left=(*desk.plan.left, alone)))

    def take_back(self, found: Finding) -> None:
        """Count an accepted finding again."""
        desk = self._desk
        kept = tuple(alone for alone in desk.plan.left if not found.is_left_by(alone, desk.plan.factors))
        desk.do_plan(tr("count {word} again", word=found.word), desk.plan.changed(left=kept))
