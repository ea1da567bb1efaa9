"""Rules of the house: which way imports go, and what gets loaded."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]


def loaded_by(statement: str) -> set[str]:
    """Top-level names of the modules that a fresh interpreter has loaded after a statement."""
    program = f"{statement}\nimport sys\nprint(' '.join(sys.modules))"
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, encoding="utf-8", check=True)
    return set(done.stdout.split())


def test_imports_go_one_way():
    program = Path(sys.executable).with_name("lint-imports")
    done = subprocess.run([program], cwd=ROOT, capture_output=True, encoding="utf-8", check=False)
    assert done.returncode == 0, done.stdout
    assert "3 kept, 0 broken" in done.stdout


@pytest.mark.parametrize("module", ["core.evaluate.evaluator", "core.exporting.piece_files", "commands"])
def test_core_and_commands_load_no_toolkit(module):
    loaded = loaded_by(f"import deft_slab.{module}")
    assert not {name for name in loaded if name.split(".")[0] in ("PySide6", "vtkmodules", "vtk", "pyvista")}


def test_the_window_starts_without_what_is_slow_to_load():
    loaded = {name.split(".")[0] for name in loaded_by("import deft_slab.desk.start")}
    assert "PySide6" in loaded
    assert not loaded & {"vtkmodules", "numba", "scipy", "trimesh"}


def test_what_is_asked_and_answered_is_light_to_load():
    light = "deft_slab.desk.messages.requests, deft_slab.core.exporting.piece_files"
    loaded = {name.split(".")[0] for name in loaded_by(f"import {light}")}
    assert not loaded & {"numba", "scipy", "trimesh", "PySide6"}


def parsed(path: Path) -> ast.Module:
    return ast.parse(path.read_text(encoding="utf-8"))


SOURCES = sorted((ROOT / "src" / "deft_slab").rglob("*.py"))


def named(path: Path) -> str:
    return ".".join(path.relative_to(ROOT / "src").with_suffix("").parts).removesuffix(".__init__")


def imported_by(path: Path, known: set[str]) -> set[str]:
    """Modules of the program that one imports, wherever in it, for types too."""
    package = named(path) if path.name == "__init__.py" else named(path).rsplit(".", 1)[0]
    found = set()
    for node in ast.walk(parsed(path)):
        if isinstance(node, ast.ImportFrom):
            above = package.split(".")[: len(package.split(".")) - node.level + 1] if node.level else []
            module = ".".join([*above, *([node.module] if node.module else [])])
            found |= {f"{module}.{one.name}" if f"{module}.{one.name}" in known else module for one in node.names}
    return (found & known) - {named(path)}


def test_no_circle_of_imports():
    """Each module stands over those that it imports: they can be taken away one after the other."""
    known = {named(path) for path in SOURCES}
    left = {named(path): imported_by(path, known) for path in SOURCES}
    while left:
        free = {name for name, needs in left.items() if not needs & set(left)}
        assert free, f"a circle among {sorted(left)}"
        left = {name: needs for name, needs in left.items() if name not in free}


def lines_of_docstrings(tree: ast.Module) -> int:
    """Lines that docstrings take, with those that stand below a constant."""
    said = [
        node for node in ast.walk(tree)
        if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant) and isinstance(node.value.value, str)
    ]
    return sum((node.end_lineno or node.lineno) - node.lineno + 1 for node in said)


def test_bodies_classes_and_modules_keep_to_their_measure():
    """Docstrings are not counted: nobody should say less to keep to it."""
    over = []
    for path in SOURCES:
        tree = parsed(path)
        lines = len(path.read_text(encoding="utf-8").splitlines()) - lines_of_docstrings(tree)
        over += [f"{named(path)}: {lines} lines"] if lines > 400 else []
        for node in ast.walk(tree):
            if isinstance(node, ast.FunctionDef) and node.end_lineno is not None:
                body = node.body[1:] if ast.get_docstring(node) and len(node.body) > 1 else node.body
                length = node.end_lineno - body[0].lineno + 1
                over += [f"{named(path)}.{node.name}: {length} lines"] if length > 80 else []
            elif isinstance(node, ast.ClassDef):
                methods = sum(isinstance(one, ast.FunctionDef) for one in node.body)
                over += [f"{named(path)}.{node.name}: {methods} methods"] if methods > 30 else []
    assert over == []


def documented(node: ast.FunctionDef, known: set[str]) -> str:
    """What a public function of the core should say and does not; empty for nothing. What it does in place of a method
    of its kind says it there.
    """
    said = ast.get_docstring(node) or ""
    if not said:
        return "" if node.name in known else "no docstring"
    signature = ast.unparse(node.args) + (ast.unparse(node.returns) if node.returns else "")
    arrays = any(word in signature for word in ("Floats", "NDArray", "Ints", "Numbers", "Mask"))
    return "no shapes" if arrays and "(" not in said else ""


def test_what_the_core_offers_says_what_it_does_and_in_which_shapes():
    trees = {path: parsed(path) for path in SOURCES if "core" in path.parts}
    methods = [node for tree in trees.values() for one in ast.walk(tree) if isinstance(one, ast.ClassDef)
               for node in one.body if isinstance(node, ast.FunctionDef)]
    known = {node.name for node in methods if ast.get_docstring(node)}
    wanting = []
    for path, tree in trees.items():
        public = [node for node in tree.body if isinstance(node, ast.FunctionDef | ast.ClassDef)]
        public += [node for one in public if isinstance(one, ast.ClassDef)
                   and not one.name.startswith("_") for node in one.body
                   if isinstance(node, ast.FunctionDef)]
        for node in public:
            if node.name.startswith("_"):
                continue
            if isinstance(node, ast.ClassDef):
                problem = "" if ast.get_docstring(node) else "no docstring"
            else:
                problem = documented(node, known)
            wanting += [f"{named(path)}.{node.name}: {problem}"] if problem else []
    assert wanting == []


def _is_translated(node):
    return isinstance(node, ast.Call) and isinstance(node.func, ast.Name) and node.func.id in ("tr", "tr_in", "tr_many")


def test_no_translated_text_is_a_key():
    """What things are told from each other by must be the same in every language. A table from what is shown in a list
    to what it stands for is none of these, and is written as one.
    """
    found = []
    for path in sorted((ROOT / "src").rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            keys = []
            if isinstance(node, ast.DictComp):
                keys = [node.key]
            elif isinstance(node, ast.Subscript):
                keys = [node.slice]
            elif isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute):
                keys = node.args if node.func.attr in ("startswith", "endswith", "removeprefix", "removesuffix") else []
            found += [f"{path.name}: {ast.unparse(key)}" for key in keys if _is_translated(key)]
    assert found == []


def test_types_of_arrays_have_one_home():
    """One name for each kind of number: whoever reads ``Ints`` need not look up which they are here."""
    defines = re.compile(r"^\w+\s*(:[^=]*)?=\s*NDArray\[", re.MULTILINE)
    homes = [named(path) for path in SOURCES if defines.search(path.read_text(encoding="utf-8"))]
    assert homes == ["deft_slab.core.arrays"]
