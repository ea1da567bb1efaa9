"""The state of the whole desk: what is on the bed, and the verbs of each step."""

from __future__ import annotations

from PySide6.QtCore import QObject

from .cuts.placement import Placing
from .messages.jobs import Jobs
from .state.autosave import Keeping
from .state.beds import Bedding
from .state.choices import Choosing
from .state.cut_search import CutSearch
from .state.cuts import Cutting
from .state.desk import Desk
from .state.dry_fit import Fitting
from .state.equal_pieces import EqualPieces
from .state.files import Opening
from .state.guests import Wearing
from .state.hollows import Hollowing
from .state.inspection import Checking
from .state.joins import Joining
from .state.marks import Marker
from .state.measurements import Measuring
from .state.piece_files import Writing
from .state.pointing import Pointing
from .state.printers import Printing
from .state.recents import Recents
from .state.recipes import Reusing
from .state.seat_search import Seating
from .state.seats import Seats
from .state.size import Sizing
from .state.snap_edges import Snapping
from .state.supports import Posting
from .state.ways import Ways
from .storage.recovery import Autosave


class DeskState(Desk):
    """Everything that panels may ask and do.

    All methods belong to the UI thread. Panels read this state, call the verbs of its parts and listen to their
    signals, and nothing else. Each part knows the desk and the parts that it is given; none knows the whole.
    """

    def __init__(self, jobs: Jobs, parent: QObject | None = None) -> None:
        super().__init__(jobs, parent)
        self.autosave = Autosave(self)
        # who hears of a change first is made first: what was pointed at is forgotten before a panel shows it
        self.pointing = Pointing(self)
        self.measuring = Measuring(self, self.pointing)
        self.keeping = Keeping(self, self.autosave)
        self.sizing = Sizing(self)
        self.reusing = Reusing(self, self.sizing)
        self.opening = Opening(self, self.sizing, self.keeping)
        self.wearing = Wearing(self, self.sizing, self.keeping)
        self.marker = Marker(self, self.pointing)
        self.seats = Seats(self, self.pointing, self.marker)
        self.choosing = Choosing(self)
        self.seating = Seating(self, self.seats, self.choosing)
        self.cutting = Cutting(self, self.pointing)
        # the map of cuts is made of what ways look at first
        self.ways = Ways(self, self.choosing)
        self.search = CutSearch(self, self.cutting, self.ways)
        self.snapping = Snapping(self)
        self.placing = Placing(self, self.pointing, self.cutting, self.snapping, self.marker)
        self.joining = Joining(self)
        self.fitting = Fitting(self, self.joining)
        self.checking = Checking(self)
        self.hollowing = Hollowing(self, self.pointing)
        self.posting = Posting(self, self.pointing, self.checking)
        self.alike = EqualPieces(self)
        self.bedding = Bedding(self)
        self.writing = Writing(self)
        self.printing = Printing(self)
        self.recents = Recents(self)

    def close(self) -> None:
        """Write what is to be kept, and leave nothing unsaved behind."""
        self.closing.emit()
        self.printing.close()
        self.autosave.close()
        self.remembering.close()
