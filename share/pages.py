"""Builds the docs as HTML, and checks each link in them: to a page, a heading, a picture or a file of the checkout."""

from __future__ import annotations

import html
import re
import shutil
import sys
from pathlib import Path

from markdown_it import MarkdownIt

ROOT = Path(__file__).parent.parent
DOCS = ROOT / "docs"
_STYLE = """
:root { color-scheme: light dark; --paper: #F5F1E8; --ink: #243447; --faint: #62666B; --line: #D9D2C3;
  --teal: #1C7270; }
@media (prefers-color-scheme: dark) {
  :root { --paper: #1D242E; --ink: #EAE4D7; --faint: #A9ADB2; --line: #3F4A57; --teal: #62C2BC; } }
body { background: var(--paper); color: var(--ink); font: 16px/1.5 sans-serif; max-width: 50rem; margin: 2rem auto;
  padding: 0 1rem; }
a { color: var(--teal); } img { max-width: 100%; border: 1px solid var(--line); border-radius: 4px; }
table { border-collapse: collapse; } td, th { border: 1px solid var(--line); padding: .3rem .6rem; text-align: left;
  vertical-align: top; } pre { overflow-x: auto; border: 1px solid var(--line); padding: .6rem; }
nav { color: var(--faint); }
"""


def anchor(heading: str) -> str:
    """What a heading is called in links."""
    return re.sub(r"[^\w -]", "", heading.lower()).strip().replace(" ", "-")


def _page(source: Path, written: dict[Path, set[str]]) -> tuple[str, list[str]]:
    """(the page as HTML, the links on it); written : is told of its headings"""
    engine = MarkdownIt("commonmark").enable("table")
    tokens = engine.parse(source.read_text("utf-8"))
    links, headings, title = [], set(), source.stem
    for number, token in enumerate(tokens):
        if token.type == "heading_open":
            words = tokens[number + 1].content
            token.attrSet("id", anchor(words))
            headings.add(anchor(words))
            title = words if token.tag == "h1" else title
        for inner in token.children or ():
            for name in ("href", "src"):
                target = inner.attrGet(name)
                if target is None:
                    continue
                links.append(str(target))
                inner.attrSet(name, _in_pages(str(target)))
    written[source] = headings
    body = engine.renderer.render(tokens, engine.options, {})
    inside = "../" if source.parent.parent == DOCS else ""
    way = "" if source.stem == "index" else f'<nav><a href="{inside}index.html">Contents</a></nav>'
    language = source.parent.name if inside else "en"
    return (f'<!doctype html>\n<html lang="{language}"><head><meta charset="utf-8"><title>{html.escape(title)}</title>'
            f"<style>{_STYLE}</style></head>\n<body>{way}\n{body}</body></html>\n"), links


def _in_pages(target: str) -> str:
    """A link as it is among the pages: to another page by its new ending."""
    return re.sub(r"^((?:\w+/)?[\w-]+)\.md(#|$)", r"\1.html\2", target)


def build(out: Path) -> list[str]:
    """Writes all pages and pictures into a folder; gives what is wrong with their links."""
    headings: dict[Path, set[str]] = {}
    found: list[tuple[Path, str]] = []
    for source in (*sorted(DOCS.rglob("*.md")), ROOT / "README.md"):
        page, links = _page(source, headings)
        if source.is_relative_to(DOCS):
            path = (out / source.relative_to(DOCS)).with_suffix(".html")
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(page, "utf-8")
        found += [(source, link) for link in links]
    for folder in ("screenshots", "schemas"):
        shutil.copytree(DOCS / folder, out / folder, dirs_exist_ok=True)
    wrong = [f"{source.name}: {link}" for source, link in found if not _leads_somewhere(source, link, headings)]
    linked = {(source.parent / link.partition("#")[0]).resolve() for source, link in found}
    wrong += [f"{page.name}: no page leads there" for page in headings
              if page.is_relative_to(DOCS) and page.stem != "index" and page.resolve() not in linked]
    return wrong


def _leads_somewhere(source: Path, link: str, headings: dict[Path, set[str]]) -> bool:
    path, _, place = link.partition("#")
    target = (source.parent / path).resolve() if path else source
    if not target.exists() or not target.is_relative_to(ROOT):
        return False
    return not place or place in headings.get(target, set())


def main(given: list[str]) -> int:
    """Exit code 1 where a link leads nowhere."""
    out = Path(given[0]) if given else ROOT / "build" / "docs"
    wrong = build(out)
    for one in wrong:
        print(one, file=sys.stderr)
    print(out / "index.html")
    return int(bool(wrong))


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
