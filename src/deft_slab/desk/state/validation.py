"""Documents with changed values, and messages for values that make no sense."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TypeVar

from pydantic import ValidationError

from ...core.document.base import Document
from ...core.errors import DeftError
from ...core.locale.translate import tr

D = TypeVar("D", bound=Document)


def validated(document: D, update: Mapping[str, object], what: str) -> D:
    """A document with other values.

    Parameters
    ----------
    what : str
        What it is, for the message.

    Raises
    ------
    DeftError
        The values make no sense.
    """
    try:
        return type(document).model_validate({**document.model_dump(), **update})
    except ValidationError as error:
        said = error.errors(include_url=False, include_input=False)[0]["msg"].removeprefix("Value error, ")
        raise DeftError(
            tr("{what} cannot have these values: {said}.", what=what, said=said), kept=tr("Nothing was changed.")
        ) from error
