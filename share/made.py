"""Makes the manual page and the completions of shells from the parser of the commands, the list of licences from what
is installed, the page of figures from what the window says of them, and the typefaces of sheets from those of the
window. Run it after a change of any; with --check it only says whether they are as they would be made.
"""

from __future__ import annotations

import re
import sys
from collections.abc import Callable
from importlib.metadata import PackageNotFoundError, metadata
from pathlib import Path

import shtab
from argparse_manpage.manpage import Manpage
from sheet_fonts import truetype

from deft_slab import __version__
from deft_slab.commands.parser import parser
from deft_slab.core.printers.profile import shipped_printers
from deft_slab.desk import meanings
from deft_slab.desk.help import glossary

HERE = Path(__file__).parent
_FILES = ("file", "out", "recipe", "keep", "folder", "token_file", "shot")
"""Arguments that are files, which a shell completes as such."""
_PROFILES = ("printer", "profile", "second", "fit")
"""Arguments that are printer profiles: shipped ones by their names, others by their files."""
_WITH_NAMES = {"bash": "_deft_slab_profiles", "zsh": "_deft_slab_profiles"}


def _manual() -> str:
    """In the format of man(7)."""
    made = parser()
    made._manpage = []  # where the library looks for sections of one's own
    page = Manpage(made, format="single-commands-section")
    text = re.sub(r'^(\.TH \S+ "?1"?).*$', rf'\1 "" "deft-slab {__version__}" "Deft Slab"', str(page), flags=re.M)
    return text.replace(
        ".SH NAME\ndeft\\-slab\n", ".SH NAME\ndeft\\-slab \\- tilt and cut props so that they print clean\n"
    )


def _completion(shell: str) -> str:
    made = parser()
    for action in _actions(made):
        if action.dest in _FILES:
            action.complete = shtab.FILE
        elif action.dest in _PROFILES:
            action.complete = _WITH_NAMES
    names = " ".join(shipped_printers())
    preamble = {
        "bash": f'_deft_slab_profiles() {{\n  compgen -W "{names}" -- "$1"\n  compgen -f -- "$1"\n}}\n',
        "zsh": f"_deft_slab_profiles() {{\n  compadd -- {names}\n  _files\n}}\n",
    }
    text = str(shtab.complete(made, shell=shell, preamble=preamble)).rstrip() + "\n"
    # the first word may be a command or a file to open in the window
    text = text.replace("complete -o bashdefault -F", "complete -o bashdefault -o default -F")
    return text.replace("_describe 'deft-slab commands' _commands", "_describe 'deft-slab commands' _commands; _files")


def _actions(made):
    for action in made._actions:  # as the library itself reads them
        yield action
        if isinstance(action.choices, dict):
            for inner in action.choices.values():
                yield from _actions(inner)


def _licences() -> str:
    """A table of all pinned packages, and of what is shipped besides."""
    lines = [
        "# Licences", "",
        "Made by `share/made.py` from what is installed by `requirements.lock` and, for the checks, by "
        "`requirements-check.lock`.", "",
        "| part | release | licence |", "| --- | --- | --- |", "| Deft Slab | | Apache-2.0 |",
        "| Inter (typeface, shipped) | 4 | SIL Open Font License 1.1 |",
    ]
    locks = (HERE.parent / name for name in ("requirements.lock", "requirements-check.lock"))
    for line in sorted((line for lock in locks for line in lock.read_text("utf-8").splitlines()), key=str.lower):
        name, _, release = line.partition("==")
        if not release:
            continue
        lines.append(f"| {name} | {release} | {_licence(name)} |")
    lines += [
        "", "Packages bring libraries of others with them, as shared objects in their wheels:", "",
        "| library | in | licence |", "| --- | --- | --- |",
    ]
    lines += [f"| {library} | {', '.join(packages)} | {licence} |" for library, packages, licence in BUNDLED]
    return "\n".join(lines) + "\n"


BUNDLED = (
    ("OpenCASCADE (libTK*)", ("cascadio",), "LGPL-2.1-only WITH OCCT-exception-1.0"),
    ("OpenBLAS (libscipy_openblas)", ("numpy", "scipy"), "BSD-3-Clause"),
    ("GNU Fortran runtime (libgfortran)", ("numpy", "scipy"), "GPL-3.0-or-later WITH GCC-exception-3.1"),
    ("GNU quad-precision library (libquadmath)", ("numpy", "scipy"), "LGPL-2.1-or-later"),
    ("GNU OpenMP runtime (libgomp)", ("fast-simplification",), "GPL-3.0-or-later WITH GCC-exception-3.1"),
    ("GEOS (libgeos)", ("shapely",), "LGPL-2.1-or-later"),
    ("Embree (libembree4), oneTBB (libtbb)", ("embreex",), "Apache-2.0"),
    ("FreeType, HarfBuzz, libjpeg-turbo, libpng, libtiff, libwebp and more, see its own list", ("pillow",),
     "FTL, MIT, IJG, libpng-2.0, libtiff, BSD-3-Clause"),
)
"""(library, the packages that bring it, its licence as these packages or its authors state it)."""


def _licence(name: str) -> str:
    """As its own metadata state it: an SPDX expression, else a classifier, else the first line of its text."""
    try:
        of = metadata(name)
    except PackageNotFoundError:
        return "not installed here"
    if of.get("License-Expression"):
        return str(of["License-Expression"])
    classifiers = [
        one.rsplit("::", 1)[1].strip() for one in of.get_all("Classifier", []) if one.startswith("License ::")
    ]
    if classifiers:
        return ", ".join(classifiers)
    words = str(of.get("License") or "not stated").strip()
    if "Redistribution and use in source and binary forms" in words:
        return "BSD License"
    return words.splitlines()[0][:80]


_LOOK = HERE.parent / "src/deft_slab/desk/look/fonts"
_SHEET = HERE.parent / "src/deft_slab/core/exporting/sheet/fonts"
MADE: dict[Path, Callable[[], str | bytes]] = {
    HERE / "man/man1/deft-slab.1": _manual,
    HERE / "bash-completion/completions/deft-slab": lambda: _completion("bash"),
    HERE / "zsh/site-functions/_deft-slab": lambda: _completion("zsh"),
    HERE.parent / "docs/licences.md": _licences,
    HERE.parent / "docs/figures.md": meanings.as_markdown,
    HERE.parent / "docs/glossary.md": glossary.as_markdown,
    _SHEET / "plain.ttf": lambda: truetype(_LOOK / "Inter-Regular.otf"),
    _SHEET / "strong.ttf": lambda: truetype(_LOOK / "Inter-SemiBold.otf"),
}


def main(given: list[str]) -> int:
    """Exit code 1 where --check finds one that is not as it would be made."""
    made = {path: make() for path, make in MADE.items()}
    wanted = {path: one if isinstance(one, bytes) else one.encode() for path, one in made.items()}
    stale = [path for path, content in wanted.items() if not path.exists() or path.read_bytes() != content]
    if "--check" in given:
        for path in stale:
            print(f"{path.relative_to(HERE.parent)} is not as it would be made: run share/made.py", file=sys.stderr)
        return int(bool(stale))
    for path in stale:
        path.write_bytes(wanted[path])
        print(path.relative_to(HERE.parent))
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
