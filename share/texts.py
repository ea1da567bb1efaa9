"""Collects the texts of the program, brings the catalogues up to them, and compiles what is translated. Run it after a
change of any text; with --check it only says whether all is as it would be made.

A new language begins with ``python share/texts.py --begin CODE``; its catalogue is then filled in with any editor for
GNU gettext.
"""

from __future__ import annotations

import io
import sys
from datetime import UTC, datetime
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.extract import extract
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po

SOURCE = Path(__file__).parent.parent / "src" / "deft_slab"
TEXTS = SOURCE / "texts"
KEYWORDS = {"tr": None, "tr_in": ((1, "c"), 2), "tr_many": (1, 2), "term": None}
"""What texts are marked with, as GNU xgettext's option of that name has it."""

_DATE = datetime(2026, 1, 1, tzinfo=UTC)
"""In the head of each catalogue: what is made twice is the same; when it was changed is known to version control."""

_UNMARKED = ("standin", "demo", "texts")
"""Folders without texts for the user of the window or of the commands."""


def collected() -> Catalog:
    """All marked texts, in the order of the files."""
    found = Catalog(project="Deft Slab", charset="utf-8", fuzzy=False)
    for path in sorted(SOURCE.rglob("*.py")):
        place = path.relative_to(SOURCE)
        if place.parts[0] in _UNMARKED:
            continue
        with path.open("rb") as file:
            for _line, message, _notes, context in extract("python", file, KEYWORDS, options={"encoding": "utf-8"}):
                found.add(message, locations=[(place.as_posix(), None)], context=context)
    return _unflagged(found)


def _unflagged(texts: Catalog) -> Catalog:
    """Without what the library guesses of formats: values are in braces, and a "%" is only a sign."""
    for message in texts:
        message.flags -= {"python-format", "python-brace-format"}
    return texts


def catalogue(code: str) -> Catalog:
    """What is translated into a language so far."""
    with (TEXTS / code / "LC_MESSAGES" / "deft-slab.po").open("rb") as file:
        return read_po(file, locale=code, domain="deft-slab")


def brought_up(code: str, texts: Catalog) -> Catalog:
    """The catalogue of a language with all texts of now: new ones are empty, what is gone is left out."""
    before = catalogue(code)
    made = Catalog(locale=code, project="Deft Slab", charset="utf-8", fuzzy=False, header_comment="# Deft Slab")
    made.creation_date = made.revision_date = _DATE
    made.last_translator = "Deft Slab"
    made.language_team = code
    for message in texts:
        if not message.id:
            continue
        known = before.get(message.id, message.context)
        string = known.string if known is not None and "fuzzy" not in known.flags else ""
        if isinstance(message.id, tuple) and not string:
            string = ("",) * made.num_plurals
        made.add(message.id, string, locations=message.locations, context=message.context)
    return _unflagged(made)


def as_po(made: Catalog) -> bytes:
    out = io.BytesIO()
    write_po(out, made, width=120, include_lineno=False)
    return out.getvalue()


def as_mo(made: Catalog) -> bytes:
    out = io.BytesIO()
    write_mo(out, made)
    return out.getvalue()


def main(arguments: list[str]) -> int:
    texts = collected()
    if arguments[:1] == ["--begin"]:
        place = TEXTS / arguments[1] / "LC_MESSAGES" / "deft-slab.po"
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(as_po(Catalog(locale=arguments[1], charset="utf-8", fuzzy=False)))
    wrong = 0
    for folder in sorted(path for path in TEXTS.iterdir() if path.is_dir()):
        made = brought_up(folder.name, texts)
        empty = sum(not all(one.string if isinstance(one.string, tuple) else (one.string,)) for one in made if one.id)
        print(f"{folder.name}: {len(made)} texts, {empty} not translated")
        for ending, content in (("po", as_po(made)), ("mo", as_mo(made))):
            path = folder / "LC_MESSAGES" / f"deft-slab.{ending}"
            if path.exists() and path.read_bytes() == content:
                continue
            if "--check" in arguments:
                print(f"{path.relative_to(SOURCE)} is not as it would be made", file=sys.stderr)
                wrong = 1
            else:
                path.write_bytes(content)
    return wrong


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
