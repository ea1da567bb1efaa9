"""Seats worth trying: the best on each figure, the best that sit flat, and near bests that stand steadily."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np

from ..arrays import Bools, Floats
from ..evaluate.piece import SearchSubject
from ..figures.base_area import fit, fits_turned
from ..figures.default_seats import AROUND, around, bests_apart, candidates, hull_corners, hull_of, near_to
from ..figures.exposure import spread_directions
from ..figures.piece_figures import measure
from ..geometry.orientation import Tilt
from ..geometry.place_on_bed import downs_to_rotations, seated_on, set_down
from ..locale import text
from ..locale.translate import tr
from ..printers.profile import Printer
from ..progress import QUIET, Job, Spread
from .direction_figures import sweep
from .results import MapFigures, WorthTrying
from .weighing import Weights, blend, parts_of

SPREAD = 400
"""Directions looked at all over before the best are followed."""
_STARTS = 6
_REACHES = (7.0, 3.5, 1.8, 0.9, 0.45)
"""Degrees around a start that are tried in turn."""
LEANS = (5.0, 10.0, 15.0, 20.0, 25.0, 30.0)
"""Degrees."""
MOST_SEATS = 8
_NEAR_BEST = 1.35
"""How much worse than the best a steadier one may be to be worth trying."""


def starting_directions(subject: SearchSubject) -> Floats:
    """Directions to start from: the present one, directions spread over the sphere, and those that lie on large
    flats and on facets of the hull.

    Returns
    -------
    (n, 3) float64
    """
    offered = [candidate.down for candidate in candidates(subject.light, subject.stood)]
    return np.concatenate([np.array([subject.now.down]), np.array(offered), spread_directions(SPREAD)])


def refined(
    subject: SearchSubject, printer: Printer, figures: MapFigures, value: Callable[[MapFigures], Floats], starts: int,
    job: Job = QUIET, spread: Spread = map,
) -> MapFigures:
    """More directions: around the best starts that lie apart, closer and closer to where it is best.

    Parameters
    ----------
    value : Callable[[MapFigures], Floats]
        Gives the value (n,) of each direction; smaller is better.
    starts : int
        How many starts are followed.
    """
    centres = [figures.down[n] for n in bests_apart(figures.down, value(figures), starts)]
    found = figures
    for number, reach in enumerate(_REACHES):
        ring = np.concatenate([around(centre, reach) for centre in centres])
        more = sweep(subject, ring, printer, job.part(number / len(_REACHES), (number + 1) / len(_REACHES)), spread)
        found = found.and_also(more)
        values = value(found)
        # each start goes on from the best that was found in its neighbourhood
        centres = [_best_near(found.down, values, centre, 1.5 * reach) for centre in centres]
    return found


def _best_near(down: Floats, values: Floats, centre: Floats, degrees: float) -> Floats:
    near = np.flatnonzero(down @ centre >= np.cos(np.radians(degrees)) - 1e-12)
    return np.asarray(down[near[int(np.argmin(values[near]))]])


def searched(
    subject: SearchSubject, printer: Printer, weights: Weights, job: Job = QUIET, spread: Spread = map,
    known: MapFigures | None = None,
) -> MapFigures:
    """All directions that were examined: spread ones, flats, and the surroundings of the best by support and by the
    weights.

    Parameters
    ----------
    known : MapFigures | None
        What was examined before, for the same subject and printer. Enough of it, such as the rounds of the tilt
        map, replaces the search over the whole sphere.
    """
    if known is not None and len(known) >= SPREAD:
        found = known
    else:
        found = sweep(subject, starting_directions(subject), printer, job.part(0.0, 0.4), spread)
    show = subject.marks.show.any()
    found = refined(
        subject, printer, found, lambda f: f.support_volume_mm3, _STARTS, job.part(0.4, 0.7), spread
    )
    return refined(
        subject, printer, found, lambda f: blend(parts_of(f, bool(show)), weights), 3, job.part(0.7, 1.0), spread
    )


def chosen_seats(
    figures: MapFigures, has_show_faces: bool, weights: Weights, fits: Bools
) -> list[tuple[int, str]]:
    """The seats worth trying: clearly different ones, the best by the weights first.

    Parameters
    ----------
    has_show_faces : bool
        Whether the piece has show faces.
    fits : (n,) bool
        In which directions the piece fits the printer.

    Returns
    -------
    list of (int, str)
        The number of a direction, and why it was chosen.
    """
    parts = parts_of(figures, has_show_faces)
    score = blend(parts, weights)
    flat = figures.sits_flat > 0.5
    anything = np.ones(len(figures), np.bool_)
    steady_near = (
        flat & (figures.steady >= 15.0) & (score <= _NEAR_BEST * max(float(score[flat].min(initial=np.inf)), 1e-9))
    )
    wishes: list[tuple[Floats, Bools, str]] = [
        (score, anything, tr("best by what matters here")),
        (figures.support_volume_mm3, anything, tr("least support")),
        (figures.support_volume_mm3, flat, tr("least support sitting flat")),
        (score, flat, tr("best sitting flat")),
        (figures.touched_area_mm2, anything, tr("least touched")),
        (figures.overhang_area_mm2, anything, tr("least overhang")),
        (figures.largest_layer_mm2, anything, tr("smallest layers")),
        (figures.print_seconds, anything, tr("quickest")),
        (score, steady_near, tr("steady and nearly as good")),
    ]
    if has_show_faces:
        wishes.insert(
            2, (figures.show_scar_mm2 + 1e-6 * figures.support_volume_mm3, anything, tr("cleanest show faces"))
        )
    if not fits[int(np.argmin(score))]:
        wishes.insert(1, (score, fits, tr("best that fits")))
    chosen: list[tuple[int, str]] = []
    for values, among, why in wishes:
        for n in bests_apart(figures.down, values, 1, among):
            near = near_to(figures.down, n, [other for other, _ in chosen])
            if not near:
                chosen.append((n, why))
            elif chosen[near[0]][1].count(",") < 1:  # one seat may be the best in several ways
                chosen[near[0]] = (chosen[near[0]][0], f"{chosen[near[0]][1]}, {why}")
    for n in bests_apart(figures.down, score, 20):
        if len(chosen) >= 5:
            break
        if not near_to(figures.down, n, [other for other, _ in chosen]):
            chosen.append((n, tr("another good one")))
    return sorted(chosen[:MOST_SEATS], key=lambda one: float(score[one[0]]))


def measured_seat(
    subject: SearchSubject, printer: Printer, tilt: Tilt, lift: float, kind: str, score: float, exposed: Floats | None
) -> WorthTrying:
    """A seat with its figures on the full mesh.

    Parameters
    ----------
    exposed : (m,) float64
        The exposure of its facets, for support inside.
    """
    found = measure(
        subject.solid, tilt.rotation, threshold=subject.threshold, printer=printer, marks=subject.marks, lift=lift,
        exposed=exposed,
    )
    within = fit(printer.growth * set_down(subject.solid.vertices, tilt.rotation, lift), printer)
    return WorthTrying(tilt, kind, found.figures, score, lift, found.past_threshold, within)


def fitting(subject: SearchSubject, printer: Printer, downs: Floats) -> Bools:
    """Whether the draft mesh of a piece fits the printer with each of some directions down.

    Returns
    -------
    (n,) bool
    """
    corners = printer.growth * hull_corners(subject.light, hull_of(subject.light))
    return fits_turned(corners, downs_to_rotations(downs), printer.room, subject.lift)


def seats_worth_trying(
    subject: SearchSubject, printer: Printer, weights: Weights, exposed: Floats | None, job: Job = QUIET,
    spread: Spread = map, known: MapFigures | None = None,
) -> tuple[list[WorthTrying], MapFigures]:
    """Five to eight clearly different seats, measured on the full mesh, the best by the weights first.

    Parameters
    ----------
    exposed : (m,) float64
        The exposure of the facets of the full mesh, for support inside.
    known : MapFigures | None
        What was examined before, for the same subject and printer.

    Returns
    -------
    list of WorthTrying, MapFigures
        The seats, and everything that was examined.

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    show = bool(subject.marks.show.any())
    figures = searched(subject, printer, weights, job.part(0.0, 0.6), spread, known)
    score = blend(parts_of(figures, show), weights)
    chosen = chosen_seats(figures, show, weights, fitting(subject, printer, figures.down))
    seats = []
    for number, (n, why) in enumerate(chosen):
        job.step(0.6 + 0.4 * number / len(chosen), tr("Measuring the seats worth trying"))
        tilt = seated_on(subject.now, figures.down[n])
        seats.append(measured_seat(subject, printer, tilt, subject.lift, why, float(score[n]), exposed))
    return seats, figures


def leaning(
    subject: SearchSubject, printer: Printer, weights: Weights, exposed: Floats | None, lift: float, job: Job = QUIET,
    spread: Spread = map,
) -> list[WorthTrying]:
    """Four variants of the present seat: as it is, and leaning off it by the 5 to 30 degrees that are best by the
    weights; each directly on the bed, and lifted by ``lift`` mm on support. (Slightly off flat is worst, and on
    resin printers wide layers parallel to the plate are avoided: common practice.)

    Raises
    ------
    Cancelled
        The job is no longer wanted.
    """
    down = np.array(subject.now.down)
    rings = np.concatenate([around(down, degrees) for degrees in LEANS])
    show = bool(subject.marks.show.any())
    ways = []
    for number, (height, words) in enumerate(
        ((0.0, tr("on the bed")), (lift, tr("{lift} above the bed", lift=text.given(lift))))
    ):
        step = job.part(0.5 * number, 0.5 * number + 0.5)
        standing = replace(subject, lift=height)
        figures = sweep(standing, np.concatenate([down[None], rings]), printer, step, spread)
        score = blend(parts_of(figures, show), weights)
        best = 1 + int(np.argmin(score[1:]))
        lean = LEANS[(best - 1) // AROUND]
        for n, tilt, kind in (
            (0, subject.now, tr("as now, {words}", words=words)),
            (
                best,
                seated_on(subject.now, figures.down[best]),
                tr("leaning {lean:g}°, {words}", lean=lean, words=words),
            ),
        ):
            ways.append(measured_seat(subject, printer, tilt, height, kind, float(score[n]), exposed))
    return ways
