"""What the commands print."""

from __future__ import annotations

import math
from collections.abc import Mapping


def lines_of(result: Mapping[str, object], indent: str = "") -> list[str]:
    """A result as lines for a person: what is in what is set in."""
    lines = []
    for name, value in result.items():
        if isinstance(value, list) and value and all(isinstance(one, dict) for one in value):
            of = "direction" if name == "map" else name.removesuffix("s")
            for number, one in enumerate(value, 1):
                rest = {key: own for key, own in one.items() if key != "name" or "name" not in one}
                lines += [f"{indent}{of} {one.get('name', number)}:", *lines_of(rest, indent + "  ")]
        elif isinstance(value, dict):
            lines += [f"{indent}{name}:", *lines_of(value, indent + "  ")]
        elif isinstance(value, list) and value and all(isinstance(one, (int, float)) for one in value):
            lines.append(f"{indent}{name}: " + " ".join(_said(one) for one in value))
        elif isinstance(value, list):
            lines += [f"{indent}{name}:", *(f"{indent}  {entry}" for entry in value)]
        elif isinstance(value, tuple):
            lines.append(f"{indent}{name}: " + " ".join(_said(part) for part in value))
        else:
            lines.append(f"{indent}{name}: {_said(value)}")
    return lines


def _said(value: object) -> str:
    return f"{value:.3f}" if isinstance(value, float) else str(value)


def plain(word: str) -> str:
    """A negative number with an exponent written out: the argument parser would take "-1e-3" for an option."""
    if not word.startswith("-") or "e" not in word.lower():
        return word
    try:
        return f"{float(word):.17f}"
    except ValueError:
        return word


def plainly(value: object) -> object:
    """The same with None in place of numbers that are none: JSON has no word for them."""
    if isinstance(value, dict):
        return {name: plainly(one) for name, one in value.items()}
    if isinstance(value, (list, tuple)):
        return [plainly(one) for one in value]
    return None if isinstance(value, float) and not math.isfinite(value) else value
