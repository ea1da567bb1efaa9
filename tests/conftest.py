"""Fixtures for all tests."""

from __future__ import annotations

import json
import os
import threading
from collections import Counter
from pathlib import Path

import pytest
from hypothesis import settings

# Texts are decided when modules are loaded: what tests compare is English, in mm, wherever they run.
os.environ.update({"LANGUAGE": "en", "DEFT_SLAB_UNITS": "mm", "DEFT_SLAB_NUMBERS": "1,234.5"})

from deft_slab.core.printers.profile import default_printer  # noqa: E402

# On the common machine every run tries the same few examples; at home each run tries new ones, and many more.
settings.register_profile("common", derandomize=True, deadline=None, max_examples=15)
settings.register_profile("home", deadline=None)
settings.load_profile("common" if os.environ.get("CI") else "home")

ROOT = Path(__file__).parent.parent
_seconds: Counter[str] = Counter()
_compiled: set[str] = set()


def _kernels() -> set[str]:
    return {path.name for path in (ROOT / "src").rglob("*.nbc")}


def pytest_sessionstart():
    _compiled.update(_kernels())


def pytest_runtest_logreport(report):
    _seconds[report.nodeid.partition("::")[0]] += report.duration


def pytest_terminal_summary(terminalreporter):
    """Where the time of the suite goes, by file, in build/test-times.json too; and what was compiled in tests, which
    users would then wait for as well.
    """
    for kernel in sorted(_kernels() - _compiled):
        terminalreporter.line(f"compiled in a test, and not by core/warm.py: {kernel}")
    if len(_seconds) < 10:
        return
    folder = ROOT / "build"
    folder.mkdir(exist_ok=True)
    times = {name: round(seconds, 1) for name, seconds in _seconds.most_common()}
    (folder / "test-times.json").write_text(json.dumps(times, indent=1) + "\n", "utf-8")
    terminalreporter.line(f"{sum(times.values()):,.0f} s of tests in all; the longest files:")
    for name, seconds in list(times.items())[:12]:
        terminalreporter.line(f"  {seconds:7.1f} s  {name}")


@pytest.fixture(autouse=True)
def _own_settings(tmp_path, monkeypatch):
    """No test reads or writes the settings of whoever runs it."""
    monkeypatch.setenv("DEFT_SLAB_HOME", str(tmp_path / "home"))


@pytest.fixture(autouse=True)
def _no_thread_left():
    """Fails a test that leaves a thread of its own running (the desk's listener belongs to the whole session)."""
    before = set(threading.enumerate())
    yield
    left = [t for t in threading.enumerate() if t not in before and not t.name.startswith("deft-")]
    for thread in left:
        thread.join(60.0)  # one that is on its way to its end may take its time under load
    left = [thread for thread in left if thread.is_alive()]
    assert not left, left


@pytest.fixture(scope="session")
def printer():
    return default_printer()
