"""Numbers as text, with units, in the user's number format. Arguments are always in mm, mm² and mm³."""

from __future__ import annotations

import unicodedata

from .preferences import MM_IN_AN_INCH, inches, written
from .translate import tr


def number(value: float, digits: int = 0) -> str:
    """A number with a fixed count of digits after the decimal sign."""
    return written(f"{value:.{digits}f}")


def count(value: float) -> str:
    """A whole number, with thousands separators."""
    return written(f"{value:,.0f}")


def money(value: float) -> str:
    """An amount of money, with two digits and no currency."""
    return written(f"{value:,.2f}")


def plain(value: float) -> str:
    """A number with as many digits as it needs, six at most, the way one would type it."""
    return written(f"{value:g}")


def percent(share: float, digits: int = 0) -> str:
    """A share (0 to 1) as a percentage."""
    return f"{number(100 * share, digits)} %"


def small_percent(share: float) -> str:
    """A small share in percent, with two significant digits."""
    return f"{written(f'{100 * share:.2g}')} %" if share >= 1e-6 else tr("less than 0.0001 %")


def mm(value: float) -> str:
    """A length: in whole mm from 100 mm on, with one digit below; or in inches."""
    if abs(value) < 0.05:
        return f"0 {unit()}"
    return length(value, 0 if abs(value) >= (100 * MM_IN_AN_INCH if inches() else 100) else 1)


def length(value: float, digits: int) -> str:
    """A length with a fixed count of digits in mm; in inches it gets one digit more: 0.15 mm is 0.006 in."""
    return f"{bare(value, digits)} {unit()}"


def bare(value: float, digits: int) -> str:
    """The same as ``length`` without the unit, for places where the unit stands beside it."""
    return number(value / MM_IN_AN_INCH, digits + 1) if inches() else number(value, digits)


def given(value: float) -> str:
    """A length that somebody typed or that stands in a profile, with as many digits as it was given."""
    return f"{bare_given(value)} {unit()}"


def bare_given(value: float) -> str:
    """The same as ``given`` without the unit."""
    return plain(float(f"{value / MM_IN_AN_INCH:.4g}") if inches() else value)


def near(value: float, digits: int = 3) -> str:
    """A length of any magnitude, with a fixed count of significant digits."""
    if inches():
        return written(f"{value / MM_IN_AN_INCH:.{digits}g} in")
    return written(f"{value:.{digits}g} mm")


def layer(height: float) -> str:
    """A layer height. It is in mm for everybody (common practice: profiles and exposure tables know no other unit)."""
    return f"{plain(height)} mm"


def unit() -> str:
    """The unit that lengths are shown in."""
    return "in" if inches() else "mm"


def wall(value: float) -> str:
    """A wall thickness, or a dash if there is no wall."""
    return mm(value) if value < float("inf") else "–"


def area(mm2: float) -> str:
    """An area: in mm² below 100 mm², else in cm²; or in in²."""
    if inches():
        return _square_inches(mm2)
    if abs(mm2) < 0.05:
        return "0 cm²"
    return f"{number(mm2 / 100, 1)} cm²" if abs(mm2) >= 100 else f"{number(mm2, 1)} mm²"


def _square_inches(mm2: float) -> str:
    value = mm2 / MM_IN_AN_INCH**2
    return "0 in²" if abs(value) < 5e-5 else f"{number(value, 2 if abs(value) >= 0.1 else 4)} in²"


def small_area(mm2: float) -> str:
    """An area, with enough digits for it not to read as zero."""
    if inches():
        return area(mm2) if mm2 >= 1.0 else written(f"{mm2 / MM_IN_AN_INCH**2:.2g} in²")
    return area(mm2) if mm2 >= 1.0 else written(f"{mm2:.2g} mm²")


def volume(mm3: float) -> str:
    """A volume: in mm³ below a tenth of a cm³, else in cm³; or in in³."""
    if inches():
        value = mm3 / MM_IN_AN_INCH**3
        return "0 in³" if abs(value) < 5e-5 else f"{number(value, 2 if abs(value) >= 0.1 else 4)} in³"
    if abs(mm3) < 0.5:
        return "0 cm³"
    if abs(mm3) < 100:
        return f"{number(mm3)} mm³"
    return f"{number(mm3 / 1000)} cm³" if abs(mm3) >= 1e5 else f"{number(mm3 / 1000, 1)} cm³"


def grams(value: float) -> str:
    """A mass in g, from 1,000 g on in kg."""
    if value >= 1000:
        return f"{number(value / 1000, 2)} kg"
    return f"{number(value)} g" if value >= 10 else f"{number(value, 1)} g"


def degrees(value: float) -> str:
    """An angle in degrees, with one digit after the decimal sign unless that is zero."""
    return written(f"{value:.1f}°".replace(".0°", "°").replace("-", "−"))


def hours(seconds: float) -> str:
    """A duration as hours and minutes, h:mm, with its unit."""
    minutes = round(seconds / 60)
    return f"{minutes // 60}:{minutes % 60:02d} h"


def overhang(angle: float, counted_from: str) -> str:
    """An overhang angle, worded the way the user counts it.

    Parameters
    ----------
    angle : float, degrees from the vertical
    counted_from : "wall" or "bed"
        What the user counts overhang angles from.
    """
    shown = counted(angle, counted_from)
    return tr("{angle} from the wall", angle=shown) if counted_from == "wall" else tr(
        "{angle} from the bed", angle=shown
    )


def counted(angle: float, counted_from: str) -> str:
    """The same as ``overhang`` without saying what the angle is counted from."""
    return degrees(angle if counted_from == "wall" else 90.0 - angle)


def box(size: tuple[float, float, float]) -> str:
    """A size as width × depth × height."""
    if inches():
        return " × ".join(number(value / MM_IN_AN_INCH, 2) for value in size) + " in"
    digits = 0 if max(size) >= 10 else 1
    return " × ".join(number(value, digits) for value in size) + " mm"


def too_large(over: tuple[float, float, float]) -> tuple[str, str, str]:
    """By how much something is too wide, too deep and too high, in words; empty strings where it fits."""
    wide, deep, high = (length(out, 1) if out else "" for out in over)
    return (
        wide and tr("{length} too wide", length=wide), deep and tr("{length} too deep", length=deep),
        high and tr("{length} too high", length=high),
    )


def any_box(size: tuple[float, float, float]) -> str:
    """A size of any magnitude: in mm or inches, from one metre on in m or feet."""
    if max(size) >= 1e3:
        one, of = (12.0 * MM_IN_AN_INCH, "ft") if inches() else (1e3, "m")
        return written(" × ".join(f"{value / one:.3g}" for value in size)) + f" {of}"
    if inches():
        return written(" × ".join(f"{value / MM_IN_AN_INCH:.3g}" for value in size)) + " in"
    return written(" × ".join(f"{value:.0f}" if value >= 100 else f"{value:.2g}" for value in size)) + " mm"


_TURNS = frozenset("\u061c\u200e\u200f\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069")
"""Letters that turn the direction in which what follows is written (Unicode Standard Annex 9)."""


def harmless(said: str) -> str:
    """Text from elsewhere, made safe to show on one line, in a terminal or on a page: characters that move the
    cursor, end the line or reverse its direction are replaced.
    """

    def shown(letter: str) -> str:
        if letter in "\t\n\r":
            return " "
        bad = letter in _TURNS or unicodedata.category(letter) in ("Cc", "Cs", "Zl", "Zp")
        return "?" if bad else letter

    return "".join(map(shown, said))


def quoted(name: str) -> str:
    """A name in the quotation marks of the user's language."""
    return tr("“{name}”", name=name)


def shortened(words: str, most: int) -> str:
    """A text cut down to at most so many characters."""
    return words if len(words) <= most else words[: most - 1].rstrip() + "…"


def signed(text: str, value: float) -> str:
    """A difference with its sign.

    Parameters
    ----------
    text : str
        The figure of the absolute value.
    value : float
        The difference, for its sign.
    """
    return ("−" if value < 0 else "+") + text
