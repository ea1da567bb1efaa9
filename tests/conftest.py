"""Fixtures for all tests."""

from __future__ import annotations

import os
import threading

import pytest
from hypothesis import settings

# Texts are decided when modules are loaded: what tests compare is English, in mm, wherever they run.
os.environ.update({"LANGUAGE": "en", "DEFT_SLAB_UNITS": "mm", "DEFT_SLAB_NUMBERS": "1,234.5"})

from deft_slab.core.printers.profile import default_printer  # noqa: E402

# On the common machine every run tries the same few examples; at home each run tries new ones, and many more.
settings.register_profile("common", derandomize=True, deadline=None, max_examples=15)
settings.register_profile("home", deadline=None)
settings.load_profile("common" if os.environ.get("CI") else "home")


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
