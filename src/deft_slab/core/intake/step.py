"""STEP: solids with exact faces, drawn with triangles at a chosen fineness.

The modelling kernel behind it may fail hard on a damaged file, so it works in a process of its own, which is stopped
when the result is no longer wanted.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from pathlib import Path

from ..errors import UnreadableFile
from ..progress import Job
from .meshes import read_gltf
from .surfaces import Surface

FINENESS = 0.1
"""mm by which triangles may be off the exact faces, unless another fineness is chosen."""
FINEST, COARSEST = 0.002, 20.0
_TURN = 0.35
"""Radians between neighbouring facets at most, so that small curves are not drawn as corners."""
_LEAST_SECONDS, _SECONDS_PER_MB = 8.0, 40.0
"""How long a file may take, by its size: on some damaged files the kernel would never come to an end."""
_MOST_BYTES = 6 * 2**30
_KEPT = "What you have open is untouched."

_PROGRAM = """
import ctypes, resource, signal, sys
ctypes.CDLL(None).prctl(1, signal.SIGKILL)  # ends with the process that asked for it (PR_SET_PDEATHSIG)
resource.setrlimit(resource.RLIMIT_AS, (int(sys.argv[5]),) * 2)
import cascadio
sys.exit(cascadio.step_to_glb(sys.argv[1], sys.argv[2], float(sys.argv[3]), float(sys.argv[4]), use_parallel=False))
"""


def read_step(path: Path, fineness: float, job: Job) -> Surface:
    """The solids of a STEP file, mm, +Z up.

    fineness : mm by which the triangles may be off the exact faces

    Raises
    ------
    UnreadableFile : no STEP file, a damaged one, or one that holds no faces.
    Cancelled : the job is no longer wanted.
    """
    job.step(0.05, f"Drawing the faces of {path.name} to within {fineness:g} mm")
    with tempfile.TemporaryDirectory(prefix="deft-step-") as folder:
        out = Path(folder) / "faces.glb"
        command = [
            sys.executable,
            "-c",
            _PROGRAM,
            str(path.resolve()),
            str(out),
            str(fineness),
            str(_TURN),
            str(_MOST_BYTES),
        ]
        process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, cwd=folder)
        try:
            _wait(process, path, job)
        finally:
            if process.poll() is None:
                process.kill()
                process.wait()
        if process.returncode != 0 or not out.exists():
            raise UnreadableFile(
                f"“{path.name}” is a STEP file that holds no faces, or a damaged one.", kept=_KEPT,
                remedy="Export it again, as a solid.",
            )  # fmt: skip
        surface = read_gltf(out)
    # the kernel hands its millimetres over as metres, and leaves +Z up
    vertices = surface.vertices * 1000.0
    return Surface(vertices, surface.triangles, "mm", parts=surface.parts)


def _wait(process: subprocess.Popen[bytes], path: Path, job: Job) -> None:
    started = time.monotonic()
    patience = _LEAST_SECONDS + _SECONDS_PER_MB * path.stat().st_size / 2**20
    while process.poll() is None:
        time.sleep(0.02)
        job.step(0.1, f"Drawing the faces of {path.name}")
        if time.monotonic() - started > patience:
            raise UnreadableFile(
                f"“{path.name}” could not be drawn within {patience:.0f} seconds: it is damaged, or too fine.",
                kept=_KEPT, remedy="Choose a coarser fineness, or export it again.",
            )  # fmt: skip
