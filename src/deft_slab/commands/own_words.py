"""The texts that the standard library's parser prints, so that they are in the catalogue with all others."""

from __future__ import annotations

import gettext

from ..core.locale.preferences import DOMAIN, TEXTS
from ..core.locale.translate import term

SAID = (
    term("usage: "), term("positional arguments"), term("options"), term("show this help message and exit"),
    term("the following arguments are required: %s"), term("unrecognized arguments: %s"),
    term("invalid choice: %(value)r (choose from %(choices)s)"), term("invalid %(type)s value: %(value)r"),
    term("expected one argument"), term("expected at least one argument"),
    term("argument %(argument_name)s: %(message)s"), term("%(prog)s: error: %(message)s\n"),
    term("ambiguous option: %(option)s could match %(matches)s"),
)
"""As of Python 3.11."""


def speak() -> None:
    """Make the standard library look up its texts in our catalogue."""
    gettext.bindtextdomain(DOMAIN, str(TEXTS))
    gettext.textdomain(DOMAIN)
