"""Guests: wearers' forms and other models shown inside or beside the prop at their own size."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from ..core.intake.units import likely_unit
from ..core.outcome import Model
from ..core.plan import Guest
from ..core.solid import Solid
from ..core.tilt import Tilt
from .requests import OpenGuest, ScaleToGuest, SettleGuest

if TYPE_CHECKING:
    from .state import DeskState


class Wearing:
    """A part of the desk state. surfaces : of guests that are models, in their units, by content hash"""

    def __init__(self, state: DeskState) -> None:
        self._state = state
        self.surfaces: dict[str, Solid] = {}
        self.selected: str | None = None

    def keep_selection(self) -> None:
        """Selects another guest when the selected one is gone."""
        guests = [guest.id for guest in self._state.plan.guests]
        if self.selected not in guests:
            self.selected = guests[-1] if guests else None

    def add(self, form: str, name: str, measure: float, model: Model | None = None) -> None:
        """Puts a guest in the middle of the model and selects it."""
        taken = {guest.id for guest in self._state.plan.guests}
        number = next(n for n in range(1, 1000) if f"g{n}" not in taken)
        x, y, z = self._state.model.solid.bounds.mean(axis=0).tolist()
        tilt = self._state.plan.tilt
        unit = (model.unit or likely_unit(float(model.solid.size.max()))) if model else "mm"
        upright = Tilt.of(tilt.w, -tilt.x, -tilt.y, -tilt.z)  # it stands, however the model is tilted
        guest = Guest(
            id=f"g{number}", name=name, form=form, measure=measure, place=(x, y, z), turn=upright,
            model=model.ref if model else None, unit=unit,
        )  # fmt: skip
        self.selected = guest.id
        self._state.change(f"add “{name}”", lambda: self._state.plan.with_guest(guest))

    def add_file(self, path: Path) -> None:
        """Opens a model and puts it in as a guest."""

        def done(model: Model) -> None:
            self.surfaces[model.sha256] = model.solid
            self._state.keeping.model_changed()
            self.add("model", model.name, 100.0, model)

        self._state.ask("ask:guest", OpenGuest(path), done=done, still=lambda: True, label=f"Opening {path.name}")

    @property
    def guest(self) -> Guest | None:
        """The selected guest."""
        found = [guest for guest in self._state.plan.guests if guest.id == self.selected] if self._state.plan else []
        return found[0] if found else None

    def select(self, guest_id: str) -> None:
        self.selected = guest_id
        self._state.selection_changed.emit()

    def change(self, did: str, **update: object) -> None:
        """Changes fields of the selected guest."""
        guest = self.guest
        if guest is not None:
            changed = Guest.model_validate({**guest.model_dump(), **update})
            self._state.change(did, lambda: self._state.plan.with_guest(changed))

    def remove(self) -> None:
        if self.guest is not None:
            self._state.change("take a guest away", lambda: self._state.plan.without_guest(self.guest.id))

    def settle(self) -> None:
        """Moves the selected guest to where there is most room near its place."""
        plan, guest = self._state.plan, self.guest

        def done(place: tuple[float, float, float]) -> None:
            self.change("move a guest to where there is room", place=place)

        label = f"Moving {guest.name} to where there is room"
        self._state.ask("ask:guest", SettleGuest(plan, guest.id), done=done, label=label)

    def scale_to_clearance(self) -> None:
        """Scales the model so that the selected guest just has its clearance."""
        plan = self._state.plan

        def done(factor: float) -> None:
            self._state.scale_further(plan, factor, "scale to a guest's clearance", up=True)

        self._state.ask("ask:scale", ScaleToGuest(plan, self.guest.id), done=done, label="Finding the scale")
