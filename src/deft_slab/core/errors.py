"""What can go wrong, in words for a person.

Every error says what happened (``what``), what was kept (``kept``) and what to do next (``remedy``).
"""

from __future__ import annotations

from .locale.translate import tr


class DeftError(Exception):
    """Base of all errors that the core raises on purpose.

    Parameters
    ----------
    what : one sentence: what happened, with the name of the thing it happened to.
    kept : what is still as it was; empty when nothing was at stake.
    remedy : what the person can do; empty when there is nothing to advise.
    """

    def __init__(self, what: str, *, kept: str = "", remedy: str = "") -> None:
        super().__init__(what)
        self.what = what
        self.kept = kept
        self.remedy = remedy

    def __str__(self) -> str:
        return " ".join(part for part in (self.what, self.kept, self.remedy) if part)

    def __reduce__(self) -> tuple[object, ...]:
        # Exceptions cross a process border; keyword arguments are lost by the default way.
        return _rebuilt, (type(self), self.what, self.kept, self.remedy)


def _rebuilt(kind: type[DeftError], what: str, kept: str, remedy: str) -> DeftError:
    return kind(what, kept=kept, remedy=remedy)


class UnreadableFile(DeftError):
    """A file that is no model, a damaged one, or one from a newer version."""


class OpenSurface(DeftError):
    """A surface that does not enclose a volume, where one is needed."""


class CutFailed(DeftError):
    """A cut that could not be made, or that misses the model."""


class JoinFailed(DeftError):
    """A join that could not be made where it was to be."""


class BadPlan(DeftError):
    """A plan, profile or argument that makes no sense."""


class SaveFailed(DeftError):
    """A file that could not be written; the one from before is whole."""


class WouldReplace(SaveFailed):
    """Files of the same names are there already, and nobody has said that they may be replaced."""


class WorkerEnded(DeftError):
    """The process that does the long work ended by itself, more than once, over the same request."""


class Cancelled(DeftError):
    """Work that was stopped because nobody wants its result any more."""

    def __init__(self, what: str = tr("Stopped."), *, kept: str = "", remedy: str = "") -> None:
        super().__init__(what, kept=kept, remedy=remedy)


class HollowFailed(DeftError):
    """A piece could not be hollowed."""
