"""Figures as a person reads them: in their units, with their signs. Values are always mm, mm² and mm³."""

from __future__ import annotations

import unicodedata

from .preferences import MM_IN_AN_INCH, inches, written
from .translate import tr


def number(value: float, digits: int = 0) -> str:
    """With so many digits after the decimal sign."""
    return written(f"{value:.{digits}f}")


def count(value: float) -> str:
    """A whole number, with signs between thousands."""
    return written(f"{value:,.0f}")


def money(value: float) -> str:
    """In whatever currency, with two digits."""
    return written(f"{value:,.2f}")


def plain(value: float) -> str:
    """With as many digits as it has, up to six; as it is typed."""
    return written(f"{value:g}")


def percent(share: float, digits: int = 0) -> str:
    """A share (0 to 1) in percent."""
    return f"{number(100 * share, digits)} %"


def mm(value: float) -> str:
    """A length: mm, whole ones from 100 on; or inches, hundredths below 100 of them."""
    if abs(value) < 0.05:
        return f"0 {unit()}"
    return length(value, 0 if abs(value) >= (100 * MM_IN_AN_INCH if inches() else 100) else 1)


def length(value: float, digits: int) -> str:
    """A length of so many digits in mm, and one more in inches: 0.15 mm, 0.006 in."""
    return f"{bare(value, digits)} {unit()}"


def bare(value: float, digits: int) -> str:
    """The same without its unit, which stands beside it."""
    return number(value / MM_IN_AN_INCH, digits + 1) if inches() else number(value, digits)


def given(value: float) -> str:
    """A length that somebody typed, or that stands in a profile: with the digits that it has."""
    return f"{bare_given(value)} {unit()}"


def bare_given(value: float) -> str:
    """The same without its unit."""
    return plain(float(f"{value / MM_IN_AN_INCH:.4g}") if inches() else value)


def near(value: float, digits: int = 3) -> str:
    """A length of any size, with so many digits that say something."""
    if inches():
        return written(f"{value / MM_IN_AN_INCH:.{digits}g} in")
    return written(f"{value:.{digits}g} mm")


def layer(height: float) -> str:
    """A layer height, which is mm everywhere (common practice: profiles and tables of exposure know no other)."""
    return f"{plain(height)} mm"


def unit() -> str:
    """What lengths are shown in."""
    return "in" if inches() else "mm"


def wall(value: float) -> str:
    """A length; a dash where there is none."""
    return mm(value) if value < float("inf") else "–"


def area(mm2: float) -> str:
    """mm² below 100 mm², else cm²; or in²."""
    if inches():
        return _square_inches(mm2)
    if abs(mm2) < 0.05:
        return "0 cm²"
    return f"{number(mm2 / 100, 1)} cm²" if abs(mm2) >= 100 else f"{number(mm2, 1)} mm²"


def _square_inches(mm2: float) -> str:
    value = mm2 / MM_IN_AN_INCH**2
    return "0 in²" if abs(value) < 5e-5 else f"{number(value, 2 if abs(value) >= 0.1 else 4)} in²"


def small_area(mm2: float) -> str:
    """An area with as many digits as it takes to be more than nothing."""
    if inches():
        return area(mm2) if mm2 >= 1.0 else written(f"{mm2 / MM_IN_AN_INCH**2:.2g} in²")
    return area(mm2) if mm2 >= 1.0 else written(f"{mm2:.2g} mm²")


def volume(mm3: float) -> str:
    """cm³; mm³ below a tenth of one; or in³."""
    if inches():
        value = mm3 / MM_IN_AN_INCH**3
        return "0 in³" if abs(value) < 5e-5 else f"{number(value, 2 if abs(value) >= 0.1 else 4)} in³"
    if abs(mm3) < 0.5:
        return "0 cm³"
    if abs(mm3) < 100:
        return f"{number(mm3)} mm³"
    return f"{number(mm3 / 1000)} cm³" if abs(mm3) >= 1e5 else f"{number(mm3 / 1000, 1)} cm³"


def grams(value: float) -> str:
    """g, from 1,000 on kg."""
    if value >= 1000:
        return f"{number(value / 1000, 2)} kg"
    return f"{number(value)} g" if value >= 10 else f"{number(value, 1)} g"


def degrees(value: float) -> str:
    """With a digit after the decimal sign where there is something there."""
    return written(f"{value:.1f}°".replace(".0°", "°").replace("-", "−"))


def hours(seconds: float) -> str:
    """h:mm, with its unit."""
    minutes = round(seconds / 60)
    return f"{minutes // 60}:{minutes % 60:02d} h"


def overhang(angle: float, counted_from: str) -> str:
    """An overhang angle (degrees from the vertical) as the user counts it: from the "wall" or from the "bed"."""
    shown = counted(angle, counted_from)
    return tr("{angle} from the wall", angle=shown) if counted_from == "wall" else tr(
        "{angle} from the bed", angle=shown
    )


def counted(angle: float, counted_from: str) -> str:
    """The same, where it is said elsewhere from what it counts."""
    return degrees(angle if counted_from == "wall" else 90.0 - angle)


def box(size: tuple[float, float, float]) -> str:
    """width × depth × height"""
    if inches():
        return " × ".join(number(value / MM_IN_AN_INCH, 2) for value in size) + " in"
    digits = 0 if max(size) >= 10 else 1
    return " × ".join(number(value, digits) for value in size) + " mm"


def too_large(over: tuple[float, float, float]) -> tuple[str, str, str]:
    """By how much something is too wide, too deep and too high (mm); empty for what it is not."""
    wide, deep, high = (length(out, 1) if out else "" for out in over)
    return (
        wide and tr("{length} too wide", length=wide), deep and tr("{length} too deep", length=deep),
        high and tr("{length} too high", length=high),
    )


def any_box(size: tuple[float, float, float]) -> str:
    """A size that may be tiny or huge: in mm or inches; from a metre on in m or feet."""
    if max(size) >= 1e3:
        one, of = (12.0 * MM_IN_AN_INCH, "ft") if inches() else (1e3, "m")
        return written(" × ".join(f"{value / one:.3g}" for value in size)) + f" {of}"
    if inches():
        return written(" × ".join(f"{value / MM_IN_AN_INCH:.3g}" for value in size)) + " in"
    return written(" × ".join(f"{value:.0f}" if value >= 100 else f"{value:.2g}" for value in size)) + " mm"


_TURNS = frozenset("\u061c\u200e\u200f\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069")
"""Letters that turn the direction in which what follows is written (Unicode Standard Annex 9)."""


def harmless(said: str) -> str:
    """Text from elsewhere as it can be shown on one line, written to a terminal and to a page: what would move the
    cursor, end the line or turn its direction is replaced.
    """

    def shown(letter: str) -> str:
        if letter in "\t\n\r":
            return " "
        bad = letter in _TURNS or unicodedata.category(letter) in ("Cc", "Cs", "Zl", "Zp")
        return "?" if bad else letter

    return "".join(map(shown, said))


def quoted(name: str) -> str:
    """A name in the quotation marks of the language."""
    return tr("“{name}”", name=name)


def shortened(words: str, most: int) -> str:
    """At most so many letters of it."""
    return words if len(words) <= most else words[: most - 1].rstrip() + "…"


def signed(text: str, value: float) -> str:
    """A difference with its sign; ``text`` is the figure of the absolute value."""
    return ("−" if value < 0 else "+") + text
