"""What each figure means and how it is computed: shown on hovering, and listed in docs/figures.md."""

from __future__ import annotations

from dataclasses import dataclass

from ..core.locale.translate import tr


@dataclass(frozen=True)
class Meaning:
    """The meaning of a figure.

    Attributes
    ----------
    group : str
        The heading under which the docs list it.
    means : str
        What it means, in plain words.
    how : str
        How it is computed.
    """

    group: str
    means: str
    how: str


_SUPPORT, _SITS, _SEAM, _JOINS, _JOB = (
    "Support",
    "Sitting and layers",
    "Pieces and seams",
    "Joins and checks",
    "The job",
)
_SIZE = "Size and surface"

MEANINGS: dict[str, Meaning] = {
    "overhang area": Meaning(
        _SUPPORT,
        tr("Surface that cannot be printed without support under it."),
        tr(
            "The area of all facets whose angle from the vertical is past the threshold, less "
            "those that rest on the bed (all corners within 0.2 mm of it)."
        ),
    ),
    "support volume": Meaning(
        _SUPPORT,
        tr("The space that support fills, not the amount of plastic in it."),
        tr(
            "For every facet that needs support, the gap down to the next surface of the piece or to the bed, "
            "times its area seen from above. Heights of facets are summed exactly; where the support lands is "
            "sampled on 256 columns."
        ),
    ),
    "before cutting": Meaning(
        _SUPPORT,
        tr("For comparison, what the model would need in one piece."),
        tr("The support volume of the uncut model in its present tilt."),
    ),
    "support left": Meaning(
        _SUPPORT,
        tr("How much of the support is still there after cutting."),
        tr("The support volume of all pieces, each in its seat, divided by that of the uncut model as it stands."),
    ),
    "on the bed": Meaning(
        _SUPPORT,
        tr("Support that is easy to remove, because it marks only one side."),
        tr("The part of the support volume whose columns end on the bed."),
    ),
    "on the piece": Meaning(
        _SUPPORT,
        tr("Support that stands on the piece itself, and so marks it at both ends."),
        tr("The part of the support volume whose columns end on a surface of the same piece."),
    ),
    "hard to reach": Meaning(
        _SUPPORT,
        tr("Support that is hard to remove, for example from inside a shell."),
        tr(
            "The part of the support volume from which fewer than a tenth of all directions lead out (exposure "
            "under 0.1, from depth maps in 256 directions)."
        ),
    ),
    "plastic in it": Meaning(
        _SUPPORT,
        tr("What the support costs in material."),
        tr("Support volume times the support density of the printer's profile."),
    ),
    "touched area": Meaning(
        _SUPPORT,
        tr("Surface that support leaves marks on."),
        tr("Supported area, and the area of the piece that support stands on. Posts count by their tips instead."),
    ),
    "scar on show faces": Meaning(
        _SUPPORT,
        tr("Support marks where the prop must come out clean."),
        tr("The part of the touched area that lies on faces that are marked as show faces."),
    ),
    "scar in sight": Meaning(
        _SUPPORT,
        tr("Support marks that will be seen on the finished prop."),
        tr(
            "The touched area on the assembled prop, each part times the share of the audience's directions from "
            "which it is seen. Glued faces do not count."
        ),
    ),
    "kept clear": Meaning(
        _SUPPORT,
        tr("Surface that needs support but must stay clear of it, so that it would hang in the air."),
        tr("The area past the threshold that lies in clear spots. No support is counted there."),
    ),
    "base area": Meaning(
        _SITS,
        tr("The area that the piece stands on."),
        tr("The area of the facets whose corners all lie within 0.2 mm of the bed."),
    ),
    "tips at": Meaning(
        _SITS,
        tr("How far the piece can be tilted before it falls over. Under 10° it does not sit flat."),
        tr(
            "The arc tangent of a ratio: the distance from below the centre of mass to the nearest edge of the "
            "base (its convex outline), divided by the height of the centre of mass."
        ),
    ),
    "sit flat": Meaning(
        _SITS,
        tr("Pieces that stand without support."),
        tr("At least 25 mm² and 2 % of the piece's shadow rest on the bed, and the piece does not tip over before "
           "10°."),
    ),
    "fit": Meaning(
        _SITS,
        tr("Pieces that the printer can print as they sit."),
        tr(
            "Turned about the vertical in some way, the piece stays inside the bed without its margin, and below "
            "the printer's height."
        ),
    ),
    "height": Meaning(
        _SITS, tr("How far the piece extends above the bed."), tr("The height of its highest point, including the "
                                                                  "lift.")
    ),
    "layers": Meaning(
        _SITS, tr("The number of layers that are printed."), tr("The height divided by the printer's usual layer "
                                                               "height.")
    ),
    "largest layer": Meaning(
        _SITS,
        tr("Large layers pull hard on a resin printer's film, and take long on a filament printer."),
        tr(
            "The largest area of a section in the middle of a layer: half the sum of p × q over "
            "the segments in which the surface meets that level, which is exact."
        ),
    ),
    "sudden growth": Meaning(
        _SITS,
        tr("A layer that is much larger than the one before peels with a jerk, and warps."),
        tr("The largest increase in area from one layer to the next."),
    ),
    "nearly level underside": Meaning(
        _SITS,
        tr("Undersides that sag, or come out rough, even with support."),
        tr("Area that faces down within 10° of flat and does not rest on the bed."),
    ),
    "pieces": Meaning(
        _SEAM, tr("The number of printable parts."), tr("The bodies on all sides of the cuts that are switched on, "
                                                        "with loose "
                                          "keys and bands.")
    ),
    "seam": Meaning(
        _SEAM,
        tr("The line on the outside along which pieces meet."),
        tr("The length of the curves where cut faces meet the surface, counted once for each cut."),
    ),
    "seam in sight": Meaning(
        _SEAM,
        tr("How much of the seam will be noticed."),
        tr(
            "The length of the seam, each part times the share of the audience's directions from which it is seen. "
            "An open, flat place counts fully, a groove little."
        ),
    ),
    "across show faces": Meaning(
        _SEAM, tr("Seam where the prop must come out clean."), tr("The length of the seam that crosses show faces.")
    ),
    "cut area": Meaning(
        _SEAM, tr("What is glued."), tr("The area of the cut faces, counted once for the two sides of each.")
    ),
    "joined": Meaning(
        _JOINS,
        tr("Contacts that are held in place by more than glue."),
        tr("Contacts with a join that is made and keeps the pieces from sliding, of all contacts."),
    ),
    "thinnest wall": Meaning(
        _JOINS,
        tr("Where a piece could break, or be printed with a hole."),
        tr("The smallest distance from a socket, hole or void to the outside of its piece."),
    ),
    "base kept": Meaning(
        _JOINS,
        tr("How much of the base area is left where keys and sockets lie in it."),
        tr("The base area of all pieces with their joins, divided by that without joins."),
    ),
    "islands": Meaning(
        _JOINS,
        tr("Parts of a layer that begin in the air. In resin printing they drop into the vat."),
        tr(
            "Regions of a layer's exact section that touch no region of the layer below and that no support or post "
            "holds."
        ),
    ),
    "largest cup": Meaning(
        _JOINS,
        tr("Air that is enclosed while printing. It pulls at the film and may tear it."),
        tr("The largest area, in any layer, that the piece and the film enclose."),
    ),
    "voids": Meaning(
        _JOINS, tr("What was removed from a piece."), tr("The number of voids that hollowing left, and their volume.")
    ),
    "saved": Meaning(
        _JOINS, tr("Material that hollowing saves."), tr("The volume before minus the volume after, with plugs "
                                                         "counted.")
    ),
    "posts": Meaning(
        _JOINS, tr("The number of support posts."), tr("The posts for which a route to the bed or to the piece was "
                                                    "found.")
    ),
    "slender": Meaning(
        _JOINS,
        tr("Posts that are so thin for their length that they are braced."),
        tr(
            "Posts longer than 40 diameters. By Euler's formula for a rod clamped at its foot and held at its tip, "
            "they bear a hundredth of what a rod of 4 diameters bears."
        ),
    ),
    "touched": Meaning(
        _JOINS, tr("The scar that posts leave."), tr("The area of all tips where they touch the surface.")
    ),
    "plastic": Meaning(_JOINS, tr("What the posts cost in material."), tr("The volume of all posts, feet and braces.")),
    "show faces": Meaning(_SUPPORT, tr("What must come out clean."), tr("The area with this mark.")),
    "hold spots": Meaning(
        _SUPPORT,
        tr("Where support is wanted whatever the angle."),
        tr("The area with this mark that faces down."),
    ),
    "clear spots": Meaning(_SUPPORT, tr("Where no support may stand."), tr("The area with this mark.")),
    "time": Meaning(
        _JOB,
        tr("An estimate of the hours, from the printer's profile."),
        tr(
            "Resin: the time of the bottom layers, and exposure and lift of all others, for all pieces of a bed at "
            "once. Filament: the volume of walls, infill and support divided by line width × layer height × speed, "
            "plus a fixed time for each layer. Walls are computed by the coarea formula, ∫ √(1 − n_z²) over the "
            "surface."
        ),
    ),
    "all done after": Meaning(
        _JOB,
        tr("The time until the last bed is done, with both printers working at once."),
        tr("The hours of each printer's beds are added; this is the larger sum."),
    ),
    "longest piece": Meaning(
        _JOB, tr("The time that a second printer cannot shorten."), tr("The hours of the piece that takes "
                                                                            "longest.")
    ),
    "material": Meaning(
        _JOB,
        tr("The material to buy."),
        tr(
            "Filament: walls, infill and support according to the profile. Resin: the whole volume and its posts. "
            "Each is multiplied by the density of the piece's material."
        ),
    ),
    "beds": Meaning(
        _JOB,
        tr("The number of beds to print."),
        tr(
            "Pieces and copies are laid out by their true outlines with a gap between them. Beside it is the least "
            "number that their area alone allows."
        ),
    ),
    "cost": Meaning(
        _JOB,
        tr("The cost of everything, in your own currency."),
        tr(
            "Grams times the price of the material, plus hours times the price of an hour, plus the profile's "
            "share for failed prints."
        ),
    ),
    "to glue": Meaning(_JOB, tr("The gluing that is left to do by hand."), tr("The number of contacts of one prop, "
                                                                            "and their area.")),
    "size": Meaning(_SIZE, tr("The size of the model as it stands."), tr("The size of its bounding box along the axes "
                                                                         "of "
                                                                   "the bed.")),
    "size as opened": Meaning(_SIZE, tr("The size that the file states."), tr("The size of its bounding box along the "
                                                                        "axes of the file.")),
    "volume": Meaning(
        _SIZE,
        tr("The volume inside the surface; none while it is open."),
        tr("A sixth of the sum of the triple products of all facets' corners (divergence theorem)."),
    ),
    "surface area": Meaning(_SIZE, tr("The area to paint."), tr("The sum of the areas of all facets.")),
    "triangles": Meaning(_SIZE, tr("The number of triangles, which says how fine the surface "
                                   "is."), tr("Their number after mending.")),
    "bodies": Meaning(
        _SIZE, tr("Connected parts of the file."), tr("Shells, or what the file calls an object.")
    ),
    "moved by up to": Meaning(
        _SIZE,
        tr("How far mending moved the surface."),
        tr(
            "The largest distance between the old surface and the new one. Over holes it is measured from the "
            "patch to the nearest place of the old surface."
        ),
    ),
}

_CALLED = {
    "overhang": tr("overhang area"),
    "support": tr("support volume"),
    "scarred there": tr("scar on show faces"),
    "on show faces": tr("scar on show faces"),
    "thinnest": tr("thinnest wall"),
    "tallest": "height",
    "job": "time",
    "left in the air": tr("kept clear"),
}
"""Where a figure stands under a shorter name."""


def meaning_of(name: str) -> Meaning | None:
    """The meaning of a figure, by its label; None if there is no such figure."""
    name = name.lower()
    return MEANINGS.get(_CALLED.get(name, name))


def hover(name: str, of: str) -> str:
    """The text shown while the pointer rests on a figure: what it belongs to, what it means, and how it is computed."""
    found = meaning_of(name)
    if found is None:
        return of
    return tr("{of}\n\nMeans: {means}\nHow: {how}", of=of, means=found.means, how=found.how).strip()


def as_markdown() -> str:
    """All meanings as a page of the docs, in English."""
    lines = [
        "# How to read each figure", "",
        "The same words are shown where the pointer rests on a figure in the window. Made by `./deft made` from the "
        "program's own table; [how it works](how-it-works.md) says more.", "",
        "Lengths are mm, areas mm² (cm² from 100 mm²), volumes mm³ (shown as cm³), angles degrees, times h:mm. ≈ "
        "stands "
        "before what comes from a draft mesh of few triangles while something is dragged.", "",
    ]
    for group in dict.fromkeys(one.group for one in MEANINGS.values()):
        lines += [f"## {group}", "", "| figure | what it means | how it is computed |", "|---|---|---|"]
        lines += [f"| **{name}** | {one.means} | {one.how} |" for name, one in MEANINGS.items() if one.group == group]
        lines.append("")
    return "\n".join(lines)
