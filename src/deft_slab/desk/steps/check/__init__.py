"""Check: what was checked of this choice, worst first, and what helps."""

from __future__ import annotations

from .panel import CheckPanel

__all__ = ["CheckPanel"]
