"""The paper sizes that a sheet can be laid out for."""

from __future__ import annotations

from typing import Literal

Paper = Literal["a4", "letter"]
PAPERS: tuple[Paper, ...] = ("a4", "letter")
NAMES: dict[Paper, str] = {"a4": "A4", "letter": "Letter"}
"""As a person reads them."""
