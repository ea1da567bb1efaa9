"""As it is installed: the wheel and the source archive, and what desktops and shells are told of the program."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tarfile
import tomllib
import venv
import xml.etree.ElementTree as ET
import zipfile
from pathlib import Path

import numpy
import pytest

from deft_slab import __version__, about
from deft_slab.commands.parser import parser
from deft_slab.core.exporting.piece_files import write_solid
from tests.shapes import box, solid_of

ROOT = Path(__file__).parent.parent
SHARE = ROOT / "share"


def ran(*words, **how):
    return subprocess.run([str(word) for word in words], capture_output=True, encoding="utf-8", check=False, **how)


def tool(name):
    """A validator that is not ours; where it cannot be had, what needs it is left out."""
    found = shutil.which(name)
    if found is None:
        pytest.skip(f"{name} is not there")
    return found


@pytest.fixture(scope="module")
def built(tmp_path_factory):
    """(the wheel, the source archive)."""
    copy = tmp_path_factory.mktemp("build") / "source"
    left_out = shutil.ignore_patterns(".git", ".venv", "build", "*.egg-info", "*.pyc", ".*_cache", ".hypothesis")
    shutil.copytree(ROOT, copy, ignore=left_out)
    out = copy.parent / "out"
    out.mkdir()
    said = "from setuptools import build_meta as b; b.build_sdist({0!r}); b.build_wheel({0!r})".format(str(out))
    done = ran(sys.executable, "-c", said, cwd=copy)
    assert done.returncode == 0, done.stderr
    (wheel,), (source,) = out.glob("*.whl"), out.glob("*.tar.gz")
    return wheel, source


def test_what_is_made_from_the_parser_is_up_to_date():
    done = ran(sys.executable, SHARE / "made.py", "--check")
    assert done.returncode == 0, done.stderr


def test_the_wheel_works_in_a_venv_of_its_own(built, tmp_path):
    """Its libraries are those that are here; the program itself comes from the wheel alone."""
    wheel, _ = built
    venv.create(tmp_path / "venv", with_pip=True)
    python = tmp_path / "venv/bin/python"
    done = ran(python, "-m", "pip", "install", "-q", "--no-deps", "--no-index", wheel)
    assert done.returncode == 0, done.stderr
    (site,) = (tmp_path / "venv/lib").glob("python*/site-packages")
    own = next(path for path in sys.path if path.endswith("site-packages"))
    (site / "libraries.pth").write_text(f"{own}\n")  # a path; what the editable install there adds is not read
    program, clean = tmp_path / "venv/bin/deft-slab", {key: value for key, value in os.environ.items()}
    clean.pop("PYTHONPATH", None)
    said = ran(program, "--version", env=clean, cwd=tmp_path)
    assert said.stdout.startswith(f"deft-slab {__version__}\nfigures depend on: python ")
    where = ran(python, "-c", "import deft_slab; print(deft_slab.__file__)", env=clean, cwd=tmp_path)
    assert str(tmp_path) in where.stdout
    write_solid(solid_of(box(20, 20, 20)), "Block", tmp_path / "block.stl", replace=False)
    compiled = {path.name for path in site.rglob("*.nbc")}
    measured = ran(program, "measure", "block.stl", "--printer", "small-resin", env=clean, cwd=tmp_path)
    assert measured.returncode == 0, measured.stderr
    assert "Volume" in measured.stdout
    assert len(compiled) > 70  # shipped with it
    assert {path.name for path in site.rglob("*.nbc")} == compiled
    share = tmp_path / "venv/share"
    for name in (
        "applications/deft-slab.desktop", "icons/hicolor/scalable/apps/deft-slab.svg", "mime/packages/deft-slab.xml",
        "metainfo/deft-slab.metainfo.xml", "man/man1/deft-slab.1", "bash-completion/completions/deft-slab",
        "zsh/site-functions/_deft-slab",
    ):
        assert (share / name).is_file(), name


def test_archives_hold_what_the_program_reads(built):
    """Every file of data beside the modules is in the wheel, and all that it is built from in the source archive."""
    wheel, source = built
    with zipfile.ZipFile(wheel) as archive:
        held = set(archive.namelist())
    package = ROOT / "src/deft_slab"
    data = {
        str(path.relative_to(ROOT / "src")) for path in package.rglob("*")
        if path.is_file() and path.suffix not in (".pyc", ".nbi", ".nbc") and "__pycache__" not in path.parts
    }
    assert data - held == set()
    with tarfile.open(source) as archive:
        names = {name.split("/", 1)[1] for name in archive.getnames() if "/" in name}
    assert {f"src/{name}" for name in data} - names == set()
    assert {"LICENSE", "README.md", "pyproject.toml", "share/applications/deft-slab.desktop"} <= names


def test_the_desktop_entry_and_the_types_of_files(tmp_path):
    done = ran(tool("desktop-file-validate"), SHARE / "applications/deft-slab.desktop")
    assert (done.returncode, done.stdout) == (0, "")
    (tmp_path / "packages").mkdir()
    shutil.copy(SHARE / "mime/packages/deft-slab.xml", tmp_path / "packages")
    done = ran(tool("update-mime-database"), tmp_path)
    assert done.returncode == 0, done.stderr
    globs = (tmp_path / "globs2").read_text("utf-8")
    assert "60:application/vnd.deft-slab.project+zip:*-project.3mf" in globs
    entry = (SHARE / "applications/deft-slab.desktop").read_text("utf-8")
    types = next(line for line in entry.splitlines() if line.startswith("MimeType=")).removeprefix("MimeType=")
    for one in ET.parse(SHARE / "mime/packages/deft-slab.xml").getroot():
        assert one.attrib["type"] in types.split(";")


def test_the_metadata_for_software_centres():
    done = ran(tool("appstreamcli"), "validate", "--no-net", SHARE / "metainfo/deft-slab.metainfo.xml")
    assert done.returncode == 0, done.stdout
    root = ET.parse(SHARE / "metainfo/deft-slab.metainfo.xml").getroot()
    assert root.find("releases/release").attrib["version"] == __version__
    assert root.find("launchable").text == "deft-slab.desktop"


def test_the_manual_page(tmp_path):
    """Every command and option stands in it, and another program finds no fault but with style."""
    page = (SHARE / "man/man1/deft-slab.1").read_text("utf-8").replace("\\-", "-")
    for action in parser()._actions:
        if isinstance(action.choices, dict):
            for name, command in action.choices.items():
                assert f"deft-slab {name}" in page
                for option in (option for one in command._actions for option in one.option_strings):
                    assert option in page or option in ("-h", "--help"), (name, option)
    done = ran(tool("mandoc"), "-T", "lint", "-W", "error", SHARE / "man/man1/deft-slab.1")
    assert done.returncode == 0, done.stdout


def test_completion_in_a_shell():
    """Bash itself completes a command and an option."""
    bash = tool("bash")
    script = f"""
source {SHARE / "bash-completion/completions/deft-slab"}
complete -p deft-slab
COMP_WORDS=(deft-slab hand); COMP_CWORD=1; COMP_LINE='deft-slab hand'; COMP_POINT=14
_shtab_deft_slab; echo "${{COMPREPLY[@]}}"
COMP_WORDS=(deft-slab handoff --sec); COMP_CWORD=2; COMP_LINE='deft-slab handoff --sec'; COMP_POINT=23
_shtab_deft_slab; echo "${{COMPREPLY[@]}}"
"""
    done = ran(bash, "-c", script)
    assert done.stdout.splitlines()[1:] == ["handoff", "--second"], done.stdout + done.stderr


def test_versions_name_what_figures_depend_on():
    found = about.versions()
    assert found["deft-slab"] == __version__
    assert "none" not in found.values()
    assert {"numpy", "manifold3d", "shapely"} <= set(found)


def test_every_pinned_part_has_a_licence():
    rows = (ROOT / "docs/licences.md").read_text("utf-8").splitlines()
    listed = {row.split("|")[1].strip(): row.split("|")[3].strip() for row in rows if row.count("|") == 4}
    pinned = {
        line.split("==")[0]
        for lock in ("requirements.lock", "requirements-check.lock")
        for line in (ROOT / lock).read_text("utf-8").splitlines()
        if "==" in line
    }
    assert pinned <= set(listed)
    assert not [name for name in pinned if listed[name] in ("", "not stated", "not installed here")]


def test_what_packages_bring_with_them_is_named():
    """Each folder of shared objects that a pinned package has beside it is of one that the list of bundled libraries
    names; the typeface is in the licence of the project itself (PEP 639).
    """
    text = (ROOT / "docs/licences.md").read_text("utf-8")
    for word in ("OpenCASCADE", "OpenBLAS", "libgfortran", "GEOS", "Embree"):
        assert word in text
    beside = {path.name.removesuffix(".libs").rstrip(".") for path in Path(numpy.__file__).parents[1].glob("*.libs")}
    rest = text.partition("Packages bring libraries")[2].replace("-", "_")
    assert {name for name in beside if name.replace("-", "_") not in rest} == set()
    project = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["project"]
    assert "OFL-1.1" in project["license"]
    assert all((ROOT / name).is_file() for name in project["license-files"])
