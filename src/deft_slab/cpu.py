"""The processor that kernels are compiled for.

It is a level that nearly all processors of the last ten years have, and not the very processor at hand, so that the
compiled code can be shipped in the wheel and copied from machine to machine. It is as fast (measured). Numba reads the
choice when it is first imported.
"""

from __future__ import annotations

import os
from collections.abc import MutableMapping
from pathlib import Path

LEVEL = "x86-64-v3"
NEEDED = frozenset(("avx", "avx2", "bmi1", "bmi2", "f16c", "fma", "abm", "movbe", "xsave"))
"""The flags of level 3, as Linux calls them (psABI for x86-64, table "Micro-Architecture Levels")."""


def choose(environment: MutableMapping[str, str] = os.environ, told: Path = Path("/proc/cpuinfo")) -> None:
    """Let Numba compile for ``LEVEL`` if the processor has it. What the user has set stays.

    Parameters
    ----------
    environment : mapping of str to str
        It is changed; by default that of this process, from which others inherit it.
    told : Path
        Where Linux tells the flags of the processor.
    """
    if "NUMBA_CPU_NAME" in environment:
        return
    try:
        with told.open(encoding="ascii", errors="replace") as lines:
            flags = next((line for line in lines if line.startswith("flags")), "")
    except OSError:
        return
    if NEEDED.issubset(flags.split()):
        environment["NUMBA_CPU_NAME"] = LEVEL
        environment["NUMBA_CPU_FEATURES"] = ""
