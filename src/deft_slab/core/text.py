"""Figures as a person reads them."""

from __future__ import annotations


def mm(value: float) -> str:
    """Whole ones from 100 on."""
    if abs(value) < 0.05:
        return "0 mm"
    return f"{value:.0f} mm" if abs(value) >= 100 else f"{value:.1f} mm"


def wall(value: float) -> str:
    """mm; a dash where there is none."""
    return mm(value) if value < float("inf") else "–"


def area(mm2: float) -> str:
    """mm² below 100 mm², else cm²."""
    if abs(mm2) < 0.05:
        return "0 cm²"
    return f"{mm2 / 100:.1f} cm²" if abs(mm2) >= 100 else f"{mm2:.1f} mm²"


def small_area(mm2: float) -> str:
    """mm², with as many digits as it takes to be more than nothing."""
    return area(mm2) if mm2 >= 1.0 else f"{mm2:.2g} mm²"


def volume(mm3: float) -> str:
    """cm³; mm³ below a tenth of one."""
    if abs(mm3) < 0.5:
        return "0 cm³"
    if abs(mm3) < 100:
        return f"{mm3:.0f} mm³"
    return f"{mm3 / 1000:.0f} cm³" if abs(mm3) >= 1e5 else f"{mm3 / 1000:.1f} cm³"


def grams(value: float) -> str:
    """g, from 1,000 on kg."""
    return f"{value / 1000:.2f} kg" if value >= 1000 else f"{value:.0f} g" if value >= 10 else f"{value:.1f} g"


def degrees(value: float) -> str:
    """With a digit after the point where there is something there."""
    return f"{value:.1f}°".replace(".0°", "°").replace("-", "−")


def hours(seconds: float) -> str:
    """h:mm, with its unit."""
    minutes = round(seconds / 60)
    return f"{minutes // 60}:{minutes % 60:02d} h"


def overhang(angle: float, counted_from: str) -> str:
    """An overhang angle (degrees from the vertical) as the user counts it: from the "wall" or from the "bed"."""
    return degrees(angle if counted_from == "wall" else 90.0 - angle) + f" from the {counted_from}"


def box(size: tuple[float, float, float]) -> str:
    digits = 0 if max(size) >= 10 else 1
    return " × ".join(f"{value:.{digits}f}" for value in size) + " mm"


def any_box(size: tuple[float, float, float]) -> str:
    """A size that may be tiny or huge: in mm, or in m from one of them on."""
    if max(size) >= 1e3:
        return " × ".join(f"{value / 1000:.3g}" for value in size) + " m"
    return " × ".join(f"{value:.0f}" if value >= 100 else f"{value:.2g}" for value in size) + " mm"


def shortened(words: str, most: int) -> str:
    """At most so many letters of it."""
    return words if len(words) <= most else words[: most - 1].rstrip() + "…"


def signed(text: str, value: float) -> str:
    """A difference with its sign; ``text`` is the figure of the absolute value."""
    return ("−" if value < 0 else "+") + text
