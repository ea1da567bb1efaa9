"""Guests: forms of the wearer and other models, shown inside or beside the prop at their true size."""

from __future__ import annotations

from pathlib import Path

from ...core.geometry.orientation import Tilt
from ...core.importing.units import likely_unit
from ...core.locale.translate import tr
from ...core.plan.model import Model
from ...core.plan.plan import Guest, GuestForm
from ..messages.requests import OpenGuest, ScaleToGuest, SettleGuest
from .autosave import Keeping
from .desk import Desk
from .size import Sizing


class Wearing:
    """The guests of the prop.

    Attributes
    ----------
    selected : str or None
        The id of the selected guest.
    """

    def __init__(self, desk: Desk, sizing: Sizing, keeping: Keeping) -> None:
        self._desk, self._sizing, self._keeping = desk, sizing, keeping
        self.selected: str | None = None
        desk.opened.connect(self._keep_selection)
        desk.project_changed.connect(self._keep_selection)

    def _keep_selection(self) -> None:
        """Select another guest if the selected one is gone."""
        guests = [guest.id for guest in self._desk.plan.guests]
        if self.selected not in guests:
            self.selected = guests[-1] if guests else None

    def add(self, form: GuestForm, name: str, measure: float, model: Model | None = None) -> None:
        """Puts a guest in the middle of the model and selects it."""
        taken = {guest.id for guest in self._desk.plan.guests}
        number = next(n for n in range(1, 1000) if f"g{n}" not in taken)
        x, y, z = self._desk.model.solid.bounds.mean(axis=0).tolist()
        tilt = self._desk.plan.tilt
        unit = (model.unit or likely_unit(float(model.solid.size.max()))) if model else "mm"
        upright = Tilt.of(tilt.w, -tilt.x, -tilt.y, -tilt.z)  # it stands, however the model is tilted
        guest = Guest(
            id=f"g{number}", name=name, form=form, measure=measure, place=(x, y, z), turn=upright,
            model=model.ref if model else None, unit=unit,
        )
        self.selected = guest.id
        self._desk.change(tr("add “{name}”", name=name), lambda: self._desk.plan.with_guest(guest))

    def add_file(self, path: Path) -> None:
        """Opens a model and puts it in as a guest."""

        def add_guest(model: Model) -> None:
            self._desk.guest_surfaces[model.sha256] = model.solid
            self._keeping.model_changed()
            self.add("model", model.name, 100.0, model)

        self._desk.ask(
            "ask:guest", OpenGuest(path), done=add_guest, still=lambda: True, label=tr("Opening {name}", name=path.name)
        )

    @property
    def guest(self) -> Guest | None:
        """The selected guest."""
        guests = self._desk.plan.guests if self._desk.is_open else ()
        return next((guest for guest in guests if guest.id == self.selected), None)

    def select(self, guest_id: str) -> None:
        self.selected = guest_id
        self._desk.selection_changed.emit()

    def change(self, did: str, **update: object) -> None:
        """Changes fields of the selected guest."""
        guest = self.guest
        if guest is not None:
            changed = Guest.model_validate({**guest.model_dump(), **update})
            self._desk.change(did, lambda: self._desk.plan.with_guest(changed))

    def remove(self) -> None:
        guest = self.guest
        if guest is not None:
            self._desk.change(tr("remove a guest"), lambda: self._desk.plan.without_guest(guest.id))

    def settle(self) -> None:
        """Moves the selected guest to where there is most room near its place."""
        plan, guest = self._desk.plan, self.guest
        if guest is None:
            return

        def move_guest(place: tuple[float, float, float]) -> None:
            self.change(tr("move a guest to where there is room"), place=place)

        label = tr("Moving {name} to where there is room", name=guest.name)
        self._desk.ask("ask:guest", SettleGuest(plan, guest.id), done=move_guest, label=label)

    def scale_to_clearance(self) -> None:
        """Scales the model so that the selected guest just has its clearance."""
        plan, guest = self._desk.plan, self.guest
        if guest is None:
            return

        def scale_to_guest(factor: float) -> None:
            self._sizing.scale_further(plan, factor, tr("scale to a guest's clearance"), up=True)

        self._desk.ask("ask:scale", ScaleToGuest(plan, guest.id), done=scale_to_guest, label=tr("Finding the scale"))
