"""What keeps kernels quick to compile, and their compiled code fit to be copied to other machines."""

from __future__ import annotations

import ast
import io
import pickle
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays
from numba.core import event

import deft_slab
from deft_slab.commands.compiling import say_when_compiling
from deft_slab.commands.showing import ProgressLine
from deft_slab.core.mesh.array_kernels import add_up, sorted_order
from deft_slab.cpu import LEVEL, NEEDED, choose
from tests.shapes import box, solid_of

CORE = Path(deft_slab.__file__).parent / "core"
SLOW = {"sort", "argsort", "cumsum", "count_nonzero", "max", "min", "sum", "mean", "any", "all"}
"""Functions and methods of NumPy that the compiler makes anew for each kind of array, at 0.7 to 3 s (measured)."""


def kernels(tree):
    """The functions of a module that are compiled."""
    for node in ast.walk(tree):
        if isinstance(node, ast.FunctionDef) and any("njit" in ast.unparse(one) for one in node.decorator_list):
            yield node


def slow_parts(function):
    for node in ast.walk(function):
        if isinstance(node, ast.Attribute) and node.attr in SLOW:
            yield f"{function.name}: {ast.unparse(node)}"
        if isinstance(node, ast.BinOp) and isinstance(node.op, ast.MatMult):
            yield f"{function.name}: {ast.unparse(node)}"
        targets = node.targets if isinstance(node, ast.Assign) else [getattr(node, "target", None)]
        for target in targets:
            if not isinstance(target, ast.Subscript):
                continue
            if any(isinstance(part, ast.Slice) for part in ast.walk(target.slice)):
                yield f"{function.name}: {ast.unparse(target)} = ..."


def test_kernels_use_nothing_that_is_slow_to_compile():
    modules = sorted(path for path in CORE.rglob("*.py") if "njit" in path.read_text("utf-8"))
    found = {path.name: list(kernels(ast.parse(path.read_text("utf-8")))) for path in modules}
    assert sum(len(functions) for functions in found.values()) > 70
    assert [part for functions in found.values() for function in functions for part in slow_parts(function)] == []


@pytest.mark.parametrize("slow", ["a[:n] = b", "a[i, :] += b", "np.sort(a)", "x = a.max()", "c = a @ b"])
def test_what_is_slow_is_found(slow):
    (function,) = kernels(ast.parse(f"@njit(**FAST)\ndef f(a, b, n, i):\n    {slow}"))
    assert list(slow_parts(function))


@given(arrays.arrays(np.float64, st.integers(0, 60), elements=st.floats(-1e9, 1e9)), st.integers(0, 60))
def test_the_order_is_that_of_numpy(values, low):
    low = min(low, len(values))
    order = sorted_order(values, low, len(values))
    assert sorted(order.tolist()) == list(range(low, len(values)))
    assert values[order].tolist() == sorted(values[low:].tolist())


@given(arrays.arrays(np.int64, st.integers(0, 30), elements=st.integers(0, 1000)))
def test_sums_run(counts):
    wanted = np.cumsum(counts)
    add_up(counts)
    assert np.array_equal(counts, wanted)


def test_a_warmed_cache_compiles_nothing_for_a_piece_on_the_bed(tmp_path):
    """The figures of a piece, seats worth trying, a check and posts, of a surface whose arrays come from a file."""
    script = f"""
import numba.core.event as event
class Told(event.Listener):
    def on_start(self, told): print("compiled", told.data["dispatcher"].py_func.__name__, told.data["args"])
    def on_end(self, told): pass
event.register("numba:compile", Told())
from deft_slab.cli import main
import trimesh
trimesh.creation.cylinder(8, 30).export({str(tmp_path / 'rod.stl')!r})
for words in (["measure"], ["tilt"], ["check"]):
    assert main([words[0], {str(tmp_path / 'rod.stl')!r}, *words[1:]]) in (0, 1), words
"""
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, encoding="utf-8", check=False)
    assert done.returncode == 0, done.stderr
    assert [line for line in done.stdout.splitlines() if line.startswith("compiled")] == []


def told(folder, *flags):
    path = folder / "cpuinfo"
    path.write_text("processor : 0\nflags\t\t: " + " ".join(flags) + "\n")
    return path


def test_compiled_for_a_level_that_the_processor_has(tmp_path):
    env: dict[str, str] = {}
    choose(env, told(tmp_path, *NEEDED, "sse"))
    assert env == {"NUMBA_CPU_NAME": LEVEL, "NUMBA_CPU_FEATURES": ""}


@pytest.mark.parametrize("lacking", ["avx2", "fma"])
def test_an_older_processor_gets_code_of_its_own(tmp_path, lacking):
    env: dict[str, str] = {}
    choose(env, told(tmp_path, *(NEEDED - {lacking})))
    choose(env, tmp_path / "nothing")
    assert env == {}


def test_what_the_user_chose_stays(tmp_path):
    env = {"NUMBA_CPU_NAME": "generic"}
    choose(env, told(tmp_path, *NEEDED))
    assert env == {"NUMBA_CPU_NAME": "generic"}


def test_a_surface_that_travelled_has_the_arrays_that_kernels_are_compiled_for():
    """What the worker is sent is unpickled; it once compiled fifteen kernels anew for arrays that can be written."""
    sent = pickle.loads(pickle.dumps(solid_of(box(10, 20, 30))))
    assert [array.flags.writeable for array in (sent.vertices, sent.triangles, sent.origin)] == [False] * 3
    assert sent.volume == pytest.approx(6000)


def test_a_command_says_once_that_it_compiles():
    """Two kernels are compiled for one command and one for the next: each command says so once."""
    stream = io.StringIO()
    for kernels_compiled in (2, 1):
        say_when_compiling(ProgressLine(stream, quiet=False, detailed=False))
        for _ in range(kernels_compiled):
            with event.trigger_event("numba:compile"):
                pass
    assert stream.getvalue().count("compiling calculations") == 2


BASE = {
    "annotated_types", "charset_normalizer", "embreex", "lib3mf", "llvmlite", "manifold3d", "numba", "numpy",
    "platformdirs", "pydantic", "pydantic_core", "scipy", "typing_extensions", "typing_inspection",
}
"""What each command loads: scipy only for numba, which asks it for the routines of linear algebra."""


@pytest.mark.parametrize(
    ("words", "besides"),
    [
        (["measure"], set()),
        (["check"], {"scipy.sparse", "scipy.spatial"}),
        (["tilt"], {"scipy.sparse", "scipy.spatial"}),
        (["mend", "--out", "mended.stl"], {"igl", "scipy.sparse", "scipy.spatial", "shapely"}),
    ],
)
def test_commands_load_what_they_need(tmp_path, words, besides):
    """Packages take most of the time of a short command; none is loaded for what might be asked of another one."""
    (tmp_path / "rod.stl").write_bytes(trimesh.creation.cylinder(8, 30).export(file_type="stl"))
    script = f"""
import sys
from deft_slab.cli import main
assert main([{words[0]!r}, "rod.stl", *{words[1:]!r}]) in (0, 1)
named = {{name.partition(".")[0] for name in sys.modules}} - set(sys.stdlib_module_names)
parts = {{"scipy.ndimage", "scipy.optimize", "scipy.sparse", "scipy.spatial"}} & set(sys.modules)
print(*(name for name in named | parts if not name.startswith("_")))
"""
    done = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, encoding="utf-8", check=False, cwd=tmp_path
    )
    assert done.returncode == 0, done.stderr
    assert set(done.stdout.splitlines()[-1].split()) - BASE - {"deft_slab", "cython_runtime"} == besides
