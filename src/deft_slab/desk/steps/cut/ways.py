"""The page on ways: the front of whole plans, the conditions of the search, and the list."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PySide6.QtCore import QEvent
from PySide6.QtGui import QEnterEvent
from PySide6.QtWidgets import QCheckBox, QLabel

from ....core.locale import text
from ....core.locale.preferences import written
from ....core.locale.translate import tr, tr_many
from ...desk_state import DeskState
from ...look.qt_pictures import pixmap_of
from ...messages.replies import WayShown
from ...refresh.binding import follow
from ...widgets.basics import Panel, button, label, row
from ...widgets.front import FrontChart, FrontShown
from ...widgets.kept_rows import KeptRows
from ...widgets.listed_row import ListedRow
from ...widgets.number import NumberField
from ...widgets.presets_button import PresetsButton

_PEEK = (92, 64)
_NO_PICTURE = np.zeros((64, 92, 4), np.uint8)


def percent(share: float) -> str:
    """A share of the support in words: "1.7 %", "23 %"."""
    return written(f"{100 * share:.2g} %") if share < 0.1 else f"{100 * share:.0f} %"


def title_of(way: WayShown) -> str:
    """The support that a way leaves, and the seam that it shows."""
    near = "≈ " if way.near else ""
    seen = tr("{length} of seam in sight", length=text.mm(way.sight)) if way.cuts else tr("uncut")
    return tr("{near}{percent} of support left · {seen}", near=near, percent=percent(way.left), seen=seen)


def said_of(way: WayShown) -> str:
    """The pieces of a way, how they sit, and what they take."""
    pieces = tr_many("{n} piece", "{n} pieces", way.pieces)
    flat = tr("all flat") if way.all_flat else tr("{flat} flat", flat=way.flat)
    said = [pieces, flat]
    if way.alike:
        said.append(tr("{alike} alike", alike=way.alike))
    if not way.all_fit:
        said.append(tr("! {pieces} too large", pieces=way.pieces - way.fitting))
    if way.beds > 1:
        said.append(tr("{beds} beds", beds=way.beds))
    if way.seconds > 0:
        said.append(text.hours(way.seconds))
    if way.steps > 0:
        said.append(tr("{steps} to glue", steps=way.steps))
    if way.show > 0.5:
        said.append(tr("{length} across show faces", length=text.mm(way.show)))
    return " · ".join(said)


_Point = Callable[[WayShown | None], None]


class WayRow(ListedRow):
    """A way to cut the model."""

    def __init__(self, way: WayShown, keep: Callable[[], None], point: _Point) -> None:
        picture = _NO_PICTURE if way.picture is None else way.picture
        super().__init__(
            "", picture, title_of(way), said_of(way), text.volume(way.support),
            good=way.all_flat and way.all_fit, chosen=False, keep=keep,
        )
        self.way, self._point = way, point
        names = "; ".join(way.names) if way.names else tr("Only known from the draft mesh so far")
        self.setToolTip(tr("{names}.\nClick to cut the model this way.", names=names))

    def show_place(self, number: str, *, chosen: bool) -> None:
        super().show_place(number, chosen=chosen)
        self.setAccessibleName(
            tr("Plan {number}: {title}, {said}", number=number, title=title_of(self.way), said=said_of(self.way))
        )

    def enterEvent(self, event: QEnterEvent) -> None:
        self._point(self.way)

    def leaveEvent(self, event: QEvent) -> None:
        self._point(None)


class WaysPanel(Panel):
    def __init__(self, state: DeskState) -> None:
        super().__init__()
        self._state, self._ways = state, state.ways
        self._taken = -1
        self._what = label("", "faint", wrap=True)
        self.add(self._what)
        self.chart = FrontChart()
        self.chart.pointed.connect(self._point_at)
        self.chart.chosen.connect(self._take)
        self.add(self.chart)
        self._picture = QLabel()
        self._picture.setFixedSize(*_PEEK)
        self._said = label("", "faint", wrap=True)
        self._said.setMinimumHeight(_PEEK[1])
        across = row(self._picture)
        across.addWidget(self._said, 1)
        self.add(across)
        self.stop = button(tr("Stop"), tr("Stops the search. What was found stays."), self._ways.stop, role="small")
        self.on = button(tr("Continue the search"), tr("Continues the search where it was "
                                                       "stopped."), self._ways.look_on, role="small")
        self.whole = button(tr("Search the whole model"), tr("Searches for plans that cut the whole model anew, "
                                                                 "without "
                                                     "the present cuts."),
                            self._ways.part_whole, role="small")
        self.piece = button(tr("Search this piece"), tr("Searches for plans that cut only the selected "
                                                                  "piece. The "
                                                      "others stay."),
                            self._ways.part_piece, role="small")
        self.add(row(self.stop, self.on, self.whole, self.piece, 1))
        self._add_first_conditions()
        self.head(tr("Plans, least support first"))
        self.fewer = button(tr("Fewer pieces"), tr("Searches for plans with fewer pieces than the selected one."),
                            self._ways.fewer_pieces, role="small")
        self.less = button(
            tr("Less seam"),
            tr("Searches for plans with at most three quarters of the visible seam of the selected one."),
            self._ways.less_seam,
            role="small",
        )
        self.list = self.add_list()
        self._rows = KeptRows(self.list, self._new_row, self._show_place)
        self.list.setSpacing(2)
        self.like = button(
            tr("More like this"),
            tr("Moves and turns the cuts of the selected plan together, and shows what is better."),
            self._ways.more_like_this,
            role="small",
        )
        self.add(row(self.like, self.fewer, self.less, 1))
        self.head(tr("More conditions"))
        self._add_more_conditions()
        self.presets = PresetsButton("ways", lambda: ("", self._ways.wishes.model_dump(mode="json")),
                                     lambda values: self._ways.wish(**values), state.failed.emit)
        self.add(row(self.presets, 1))
        self.column.addStretch(1)
        follow(self, self.refresh, self._ways.changed, state.project_changed, state.settings_changed,
               state.selection_changed, state.outcome_changed)
        follow(self, self._show_pointed, self._ways.pointed_changed)
        state.jobs.progressed.connect(self._show_buttons)

    def _add_first_conditions(self) -> None:
        """Add the conditions that are changed most often, above the list."""
        wish = self._ways.wish
        self.pieces = self._field("", 2, 12, 1, tr("Pieces, at most"), tr("Plans with more pieces are not searched "
                                                                          "for."))
        self.pieces.committed.connect(lambda value: wish(pieces=round(value)))
        self.limit = self._field("mm", 0, 1e5, 10, tr("Seam in sight, at most"), tr("The visible seam of all cuts "
                                                                                    "together. 0 means no limit."))
        self.limit.committed.connect(lambda value: wish(seam_limit=value or None))
        for field in (self.pieces, self.limit):
            field.setFixedWidth(76)
        self.add(row(label(tr("Pieces ≤")), self.pieces, 8, label(tr("Seam seen ≤")), self.limit, 1))
        self.flat = self._check(tr("All flat"), tr("Omits plans in which a piece leans on support."), "flat")
        self.fit = self._check(
            tr("All fit the printer"), tr("Omits plans in which a piece is too large."), "must_fit"
        )
        self.add(row(self.flat, 8, self.fit, 1))

    def _add_more_conditions(self) -> None:
        wish = self._ways.wish
        self.least = self._field(
            "cm³", 0, 1e5, 1, tr("Volume of a piece, at least"), tr("The smallest piece that is allowed. 0 means "
                                                                    "no limit.")
        )
        self.least.committed.connect(lambda value: wish(least_volume=1000 * value))
        self.show_factor = self._field(
            "×",
            0,
            100,
            1,
            tr("Seams on show faces count"),
            tr("How many mm of visible seam one mm across a show face counts as."),
        )
        self.show_factor.committed.connect(lambda value: wish(show_factor=value))
        self.welcome_factor = self._field(
            "%",
            0,
            100,
            5,
            tr("Seams where welcome count"),
            tr("The share that visible seams count there. Mark such places in Tilt, on the page Faces."),
        )
        self.welcome_factor.committed.connect(lambda value: wish(welcome_factor=value / 100))
        for field in (self.least, self.show_factor, self.welcome_factor):
            field.setFixedWidth(86)
            self.add(row(label(field.accessibleName()), 1, field))
        self.shells = self._check(tr("Allow cuts through closed voids"), tr("Whether a cut may go through a closed "
                                                                            "void."),
                                  "open_shells")
        self.add(self.shells)

    def _field(self, unit: str, low: float, high: float, step: float, name: str, tip: str) -> NumberField:
        field = NumberField(unit, low=low, high=high, step=step, decimals=0)
        field.setAccessibleName(name)
        field.setToolTip(f"{name}. {tip}")
        return field

    def _check(self, words: str, tip: str, wish: str) -> QCheckBox:
        box = QCheckBox(words)
        box.setToolTip(tip)
        box.clicked.connect(lambda on: self._ways.wish(**{wish: on}))
        return box

    # what is shown

    @property
    def _shown(self) -> tuple[WayShown, ...]:
        return self._ways.found.ways if self._ways.found else ()

    def refresh(self) -> None:
        ways, wishes = self._ways, self._ways.wishes
        self.setEnabled(self._state.is_open)
        of = text.quoted(ways.of_piece) if ways.of_piece else tr("the whole model")
        least = ways.found.least_pieces if ways.found else 1
        fit = tr(" It takes at least {least} pieces to fit the printer.", least=least) if least > 1 else ""
        self._what.setText(
            tr("Plans for {of} that no other beats on both support left and seam in sight.{fit}", of=of, fit=fit)
        )
        for field, value in ((self.pieces, wishes.pieces), (self.limit, wishes.seam_limit or 0),
                             (self.least, wishes.least_volume / 1000),
                             (self.show_factor, wishes.show_factor),
                             (self.welcome_factor, 100 * wishes.welcome_factor)):
            field.set_value(value)
        for box, on in ((self.flat, wishes.flat), (self.fit, wishes.must_fit), (self.shells, wishes.open_shells)):
            box.setChecked(on)
        self._show_front()
        self._rows.show(self._shown)
        self._show_buttons()
        self._show_pointed()

    def _show_front(self) -> None:
        shown = self._shown
        self._taken = next((n for n, way in enumerate(shown) if self._ways.is_taken(way)), -1)
        if not shown:
            self.chart.show_front(None, self._why_nothing())
            return

        def each(value: Callable[[WayShown], float]) -> np.ndarray:
            return np.array([value(way) for way in shown])

        self.chart.show_front(FrontShown(
            each(lambda way: way.sight), each(lambda way: way.left), each(lambda way: way.pieces).astype(np.int64),
            each(lambda way: way.all_flat).astype(bool), each(lambda way: way.all_fit).astype(bool),
            each(lambda way: way.near).astype(bool), self._taken,
        ), "")

    def _why_nothing(self) -> str:
        ways = self._ways
        if ways.problem:
            return ways.problem
        if ways.found is not None and ways.found.done:
            return ways.found.short_of or tr("No plan was found.")
        return tr("The first plans appear in a moment …") if ways.busy else tr("Nothing has been searched for yet.")

    def _show_buttons(self, *_progress: object) -> None:
        ways, open_ = self._ways, self._state.is_open
        ended = ways.found is not None and ways.found.done
        self.stop.setVisible(ways.busy)
        self.on.setVisible(open_ and not ways.busy and not ended and not ways.problem)
        self.whole.setVisible(open_ and bool(self._state.plan.recipe))
        self.piece.setVisible(open_ and len(self._state.pieces) > 1)
        for one in (self.like, self.fewer, self.less):
            one.setEnabled(ways.chosen is not None and bool(ways.chosen.cuts))

    def _show_pointed(self) -> None:
        ways = self._ways
        way = ways.pointed or (self._shown[self._taken] if 0 <= self._taken < len(self._shown) else None)
        number = next((n for n, one in enumerate(self._shown) if one is ways.pointed), -1)
        self.chart.point_at(number)
        if way is None or way.picture is None:
            self._picture.clear()
        else:
            self._picture.setPixmap(pixmap_of(way.picture, *_PEEK))
        if way is not None:
            self._said.setText(
                tr(
                    "{title}, support {volume}. {said}.",
                    title=title_of(way),
                    volume=text.volume(way.support),
                    said=said_of(way),
                )
            )
            return
        found = ways.found
        more = "" if found is None or found.done else tr(" The search continues.")
        why = found.short_of if found is not None else ""
        self._said.setText(why or (tr("Point at a plan to see its seams on the model. Click it to cut the model "
                                      "that way.") + more))

    def _show_place(self, number: int, _way: WayShown, line: WayRow) -> None:
        line.show_place(str(number + 1), chosen=number == self._taken)

    def _new_row(self, way: WayShown) -> WayRow:
        line = WayRow(way, partial(self._ways.keep, way), self._ways.point_at)
        line.clicked.connect(partial(self._ways.take, way))
        return line

    def _point_at(self, n: int) -> None:
        self._ways.point_at(self._shown[n] if 0 <= n < len(self._shown) else None)

    def _take(self, n: int) -> None:
        if 0 <= n < len(self._shown):
            self._ways.take(self._shown[n])
