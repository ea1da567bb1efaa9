"""The pages of the help as Markdown, in the user's language.

What only one page needs is imported when that page is opened, because the window is there before.
"""

from __future__ import annotations

import re
from pathlib import Path

from ...core.locale.preferences import language
from ...core.locale.translate import tr
from ..state.desk import STEPS

GLOSSARY_PAGE, ABOUT_PAGE = "Glossary", "About"
PAGES = (*STEPS, GLOSSARY_PAGE, ABOUT_PAGE)
"""The names of all pages, in their order."""

_FOLDER = Path(__file__).with_name("pages")
"""The pages of the steps by language. They are the pages of the docs themselves."""


def title(page: str) -> str:
    """The name of a page in the user's language."""
    return {GLOSSARY_PAGE: tr("Glossary"), ABOUT_PAGE: tr("About Deft Slab")}.get(page) or tr(page)


def markdown(page: str) -> str:
    """The text of a page.

    Parameters
    ----------
    page : str
        One of ``PAGES``.
    """
    if page == GLOSSARY_PAGE:
        return _glossary()
    return _about() if page == ABOUT_PAGE else _step(page)


def file_of(step: str) -> str:
    """The name of the file of a step's page, in each language."""
    return step.lower().replace(" ", "-") + ".md"


def _step(step: str) -> str:
    """The page of a step, without its pictures, because the window itself is in view. English stands in for a language
    that has no pages yet.
    """
    path = _FOLDER / language() / file_of(step)
    text = (path if path.exists() else _FOLDER / "en" / path.name).read_text("utf-8")
    return re.sub(r"^!\[[^\]]*\]\([^)]*\)\n\n", "", text, flags=re.MULTILINE)


def _glossary() -> str:
    from .glossary import GLOSSARY

    ordered = sorted(GLOSSARY, key=lambda entry: entry[0].casefold())
    lines = [f"**{word}**: {means}\n" for word, means in ordered]
    return "\n".join([f"# {title(GLOSSARY_PAGE)}\n", *lines])


def _about() -> str:
    from ... import about
    from ...logbook import home, log_path

    found = about.versions()
    program, python = found.pop("deft-slab"), found.pop("python")
    versions, library, version = tr("Versions"), tr("library"), tr("version")
    said = (
        tr("Deft Slab tilts and cuts props so that they print clean and the joins don't show."),
        tr("It is free software under the Apache License 2.0. The typeface Inter is under the SIL Open Font License "
           "1.1."),
        tr("Settings, profiles and unsaved work are stored in {folder}. The log is {log}.",
           folder=home(), log=log_path().name),
        tr("Figures depend on these libraries. A report names them as well."),
    )
    rows = [f"| {name} | {found[name]} |" for name in found]
    return "\n".join([
        f"# Deft Slab {program}\n", *(f"{one}\n" for one in said[:3]), f"## {versions}\n", said[3] + "\n",
        f"| {library} | {version} |", "| --- | --- |", f"| Python | {python} |", *rows, "",
    ])
