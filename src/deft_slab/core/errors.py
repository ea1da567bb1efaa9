"""The errors that the core raises on purpose, worded for the person at the program.

Each error says what happened (``what``), what is still as it was (``kept``) and what to do next (``remedy``).
"""

from __future__ import annotations

from .locale.translate import tr


class DeftError(Exception):
    """Base class of all errors that the core raises on purpose.

    Parameters
    ----------
    what : one sentence: what happened, with the name of the thing it happened to.
    kept : what is still as it was; empty when nothing was at stake.
    remedy : what the person can do; empty when there is nothing to advise.

    Attributes
    ----------
    what : str
        What happened, in one sentence that names the thing it happened to.
    kept : str
        What is still as it was; empty if nothing was at stake.
    remedy : str
        What the person can do; empty if there is nothing to advise.
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
    """A file is not a model, is damaged, or was written by a newer version."""


class OpenSurface(DeftError):
    """A surface does not enclose a volume where one is needed."""


class CutFailed(DeftError):
    """A cut could not be made, or misses the model."""


class JoinFailed(DeftError):
    """A join could not be made at its place."""


class BadPlan(DeftError):
    """A plan, a profile or an argument makes no sense."""


class SaveFailed(DeftError):
    """A file could not be written. The previous version of it is untouched."""


class WouldReplace(SaveFailed):
    """Files with the same names already exist, and nobody has agreed to replace them."""


class WorkerEnded(DeftError):
    """The worker process crashed more than once over the same request."""


class Cancelled(DeftError):
    """Work was stopped because its result is no longer wanted."""

    def __init__(self, what: str = tr("Stopped."), *, kept: str = "", remedy: str = "") -> None:
        super().__init__(what, kept=kept, remedy=remedy)


class HollowFailed(DeftError):
    """A piece could not be hollowed."""
