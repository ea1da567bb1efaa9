"""The docs: built as HTML, each link leads somewhere, each page is reached, each step has one with pictures."""

from __future__ import annotations

import ast
import importlib.util
import re
import tomllib
from pathlib import Path

import lxml.html
import pytest

ROOT = Path(__file__).parent.parent
CONTRIBUTING = ROOT / "CONTRIBUTING.md"


@pytest.fixture(scope="module")
def pages():
    spec = importlib.util.spec_from_file_location("pages", ROOT / "share/pages.py")
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


@pytest.fixture(scope="module")
def built(pages, tmp_path_factory):
    out = tmp_path_factory.mktemp("docs")
    return out, pages.build(out)


def test_every_link_leads_somewhere_and_every_page_is_reached(built):
    assert built[1] == []


def test_the_pages_are_html_whose_links_and_pictures_are_there(built):
    """Read by another reader: lxml."""
    out, _ = built
    for path in out.glob("*.html"):
        page = lxml.html.parse(str(path)).getroot()
        assert page.findtext(".//title")
        for name in page.xpath("//a/@href | //img/@src"):
            target = name.partition("#")[0]
            if not target or target.startswith("../"):
                continue  # a place on the page, or a file of the checkout
            assert (out / target).exists(), (path.name, name)
    assert len(list(out.glob("*.html"))) == len(list((ROOT / "docs").glob("*.md")))


@pytest.mark.parametrize("wrong", ["[a](nowhere.md)", "[a](tilt.md#no-such-heading)", "![a](screenshots/none.png)",
                                   "[a](../../etc/passwd)"])
def test_a_link_that_leads_nowhere_is_found(pages, tmp_path, monkeypatch, wrong):
    docs = tmp_path / "docs"
    (docs / "screenshots").mkdir(parents=True)
    (docs / "schemas").mkdir()
    (docs / "index.md").write_text(f"# Index\n\n[t](tilt.md) {wrong}\n")
    (docs / "tilt.md").write_text("# Tilt\n\n## The map\n\n[i](index.md) [m](#the-map)\n")
    (tmp_path / "README.md").write_text("# Read me\n")
    monkeypatch.setattr(pages, "ROOT", tmp_path)
    monkeypatch.setattr(pages, "DOCS", docs)
    found = pages.build(tmp_path / "out")
    assert len(found) == 1
    assert found[0].startswith("index.md: ")


def test_a_page_for_each_step_with_its_pictures():
    for step in ("size", "tilt", "cut", "join", "check", "hand-off"):
        text = (ROOT / f"docs/{step}.md").read_text("utf-8")
        assert "](screenshots/" in text
    shown = "".join(path.read_text("utf-8") for path in [*(ROOT / "docs").glob("*.md"), ROOT / "README.md"])
    for picture in (ROOT / "docs/screenshots").glob("*.png"):
        assert f"screenshots/{picture.name}" in shown


def test_contributing_names_what_is_there():
    """Each errand leads to a file of the program that defines the name beside it."""
    rows = re.findall(r"^\| [^|]+ \| `([\w/.]+)` \| `(\w+)` \|$", CONTRIBUTING.read_text("utf-8"), re.MULTILINE)
    assert len(rows) >= 20
    for file, name in rows:
        tree = ast.parse((ROOT / "src/deft_slab" / file).read_text("utf-8"))
        defined = {node.name for node in tree.body if isinstance(node, ast.FunctionDef | ast.ClassDef)}
        defined |= {node.id for one in tree.body for node in ast.walk(one)
                    if isinstance(one, ast.Assign | ast.AnnAssign) and isinstance(node, ast.Name)}
        assert name in defined, f"{file} does not define {name}"


def test_contributing_draws_the_house_as_lint_holds_it():
    """The packages of the core, from the top down, as the contract of imports has them."""
    contract = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["tool"]["importlinter"]["contracts"][1]
    drawn = re.findall(r"^    ([a-z]+)(?: {2,}([a-z]+))? {2,}\S.*$", CONTRIBUTING.read_text("utf-8"), re.MULTILINE)
    held = [[one.strip() for one in row.split("|")] for row in contract["layers"]]
    packages = {path.parent.name for path in (ROOT / "src/deft_slab/core").glob("*/__init__.py")}
    assert [set(filter(None, row)) for row in drawn] == [set(row) & packages for row in held]
