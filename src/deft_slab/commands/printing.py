"""What the commands print."""

from __future__ import annotations

import math


def lines_of(result: dict[str, object], indent: str = "") -> list[str]:
    lines = []
    for name, value in result.items():
        if name in ("pieces", "seats", "map") and isinstance(value, list):
            for number, one in enumerate(value, 1):
                title = one.get("name", number)
                lines += [
                    f"{indent}{'direction' if name == 'map' else name[:-1]} {title}:",
                    *lines_of(one, indent + "  "),
                ]
        elif isinstance(value, list):
            lines += [f"{indent}{name}:", *(f"{indent}  {entry}" for entry in value)]
        elif isinstance(value, float):
            lines.append(f"{indent}{name}: {value:.3f}")
        elif isinstance(value, tuple):
            lines.append(f"{indent}{name}: " + " ".join(f"{part:.3f}" for part in value))
        else:
            lines.append(f"{indent}{name}: {value}")
    return lines


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
