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
        tr("Surface that cannot be printed without something under it."),
        tr(
            "The area of all facets whose angle from the vertical is past the threshold, less "
            "those that rest on the bed (all corners within 0.2 mm of it)."
        ),
    ),
    "support volume": Meaning(
        _SUPPORT,
        tr("The space that support would fill; not the plastic in it."),
        tr(
            "For every facet that needs support, the gap down to the next surface of the piece "
            "or to the bed, times its area seen from above. The first part is summed exactly; "
            "where it lands is sampled on 256 columns."
        ),
    ),
    "before any cut": Meaning(
        _SUPPORT,
        tr("What the model would need in one piece, to compare with."),
        tr("The support volume of the uncut model in the tilt that it has now."),
    ),
    "support left": Meaning(
        _SUPPORT,
        tr("How much of the support is still there after cutting."),
        tr("Support volume of all pieces, each in its seat, over that of the whole model as it stands."),
    ),
    "on the bed": Meaning(
        _SUPPORT,
        tr("Support that is easy to take off: it marks one side only."),
        tr("The part of the support volume whose columns end on the bed."),
    ),
    "on the piece": Meaning(
        _SUPPORT,
        tr("Support that stands on the piece itself, and so marks it at both ends."),
        tr("The part of the support volume whose columns end on a surface of the same piece."),
    ),
    "hard to reach": Meaning(
        _SUPPORT,
        tr("Support that can hardly be got out, as from within a shell."),
        tr(
            "The part of the support volume from where less than a tenth of all directions leads "
            "out (exposure under 0.1, from depth maps in 256 directions)."
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
        tr("Marks where the prop must come out clean."),
        tr("The part of the touched area that lies on faces that are marked as show faces."),
    ),
    "scar in sight": Meaning(
        _SUPPORT,
        tr("Marks of support that will be seen on the finished prop."),
        tr(
            "Touched area on the assembled prop, each part times the share of directions of the "
            "audience from which it is seen; what lies on a glued face does not count."
        ),
    ),
    "kept clear": Meaning(
        _SUPPORT,
        tr("Surface that needs support and is refused it: it would hang in the air."),
        tr("The area past the threshold that lies in clear spots. No support is counted there."),
    ),
    "base area": Meaning(
        _SITS,
        tr("What the piece stands on."),
        tr("The area of the facets whose corners all lie within 0.2 mm of the bed."),
    ),
    "tips at": Meaning(
        _SITS,
        tr("How far it can be tilted before it falls over; under 10° it does not sit flat."),
        tr(
            "The arc tangent of the way from under the centre of mass to the nearest edge of the "
            "base (its convex outline) over the height of the centre of mass."
        ),
    ),
    "sit flat": Meaning(
        _SITS,
        tr("Pieces that need nothing to stand."),
        tr("At least 25 mm² and 2 % of the shadow rest on the bed, and the piece does not tip over before 10°."),
    ),
    "fit": Meaning(
        _SITS,
        tr("Pieces that the printer can print as they sit."),
        tr(
            "There is a turn about the vertical for which the piece stays inside the bed less its margin, under the "
            "printer's height."
        ),
    ),
    "height": Meaning(
        _SITS, tr("How high it stands over the bed."), tr("Its highest point, with the lift on support.")
    ),
    "layers": Meaning(
        _SITS, tr("How often a layer is laid or exposed."), tr("Height over the printer's usual layer height.")
    ),
    "largest layer": Meaning(
        _SITS,
        tr("On resin, wide layers pull hard at the film; on filament, they take long."),
        tr(
            "The largest area of a section in the middle of a layer: half the sum of p × q over "
            "the segments in which the surface meets that level, which is exact."
        ),
    ),
    "sudden growth": Meaning(
        _SITS,
        tr("A layer that is much larger than the one before peels with a jerk, and warps."),
        tr("The most that the area of a layer is over that of the one before."),
    ),
    "nearly level underside": Meaning(
        _SITS,
        tr("Undersides that sag, or come out rough, even with support."),
        tr("Area that faces down within 10° of flat and does not rest on the bed."),
    ),
    "pieces": Meaning(
        _SEAM, tr("Printable parts."), tr("Bodies of all sides of the cuts that are on, with loose keys and bands.")
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
            "The length of the seam, each part times the share of directions of the audience "
            "from which it is seen: an open flat place has 1, a groove little."
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
        tr("Where a piece might break, or print with a hole."),
        tr("The least distance from a socket, hole or void to the outside of its piece."),
    ),
    "base kept": Meaning(
        _JOINS,
        tr("How much of what pieces stand on is left by keys and sockets there."),
        tr("Base area of all pieces with their joins over that without them."),
    ),
    "islands": Meaning(
        _JOINS,
        tr("Parts of a layer that begin in the air: on resin they drop into the vat."),
        tr(
            "Regions of a layer's exact section that touch no region of the layer below and that no support or post "
            "holds."
        ),
    ),
    "largest cup": Meaning(
        _JOINS,
        tr("Air that is closed in while printing pulls at the film, and may tear it."),
        tr("The largest area, in any layer, of what is closed in by the piece and the film."),
    ),
    "voids": Meaning(
        _JOINS, tr("What was taken out of a piece."), tr("The number of voids that hollowing left, and their volume.")
    ),
    "saved": Meaning(
        _JOINS, tr("Material that hollowing saves."), tr("Volume before, less volume after, with plugs counted.")
    ),
    "posts": Meaning(
        _JOINS, tr("Support posts that stand."), tr("Those whose way to the bed or to the piece was found.")
    ),
    "slender": Meaning(
        _JOINS,
        tr("Posts so thin for their length that they are braced."),
        tr(
            "Longer than 40 times their diameter: at that, Euler's load of a rod clamped at its "
            "foot and held at its tip is a hundredth of what it bears at 4."
        ),
    ),
    "touched": Meaning(
        _JOINS, tr("The scar that posts leave."), tr("The area of all tips where they touch the surface.")
    ),
    "plastic": Meaning(_JOINS, tr("What the posts cost in material."), tr("The volume of all posts, feet and braces.")),
    "show faces": Meaning(_SUPPORT, tr("What must come out clean."), tr("The area that is marked so.")),
    "hold spots": Meaning(
        _SUPPORT,
        tr("Where support is asked for, whatever the angle."),
        tr("The area that is marked so and faces down."),
    ),
    "clear spots": Meaning(_SUPPORT, tr("Where no support may stand."), tr("The area that is marked so.")),
    "time": Meaning(
        _JOB,
        tr("An estimate of the hours, from the printer's profile."),
        tr(
            "Resin: bottom layers, and the others at exposure and lift; all pieces of a bed at "
            "once. Filament: walls, infill and support over line width × layer height × speed, "
            "and a fixed time a layer; walls by the coarea formula, ∫ √(1 − n_z²) over the "
            "surface."
        ),
    ),
    "all done after": Meaning(
        _JOB,
        tr("How long it is until the last bed is done, with both printers at work at once."),
        tr("The larger of the sums of hours of the beds of each printer."),
    ),
    "longest piece": Meaning(
        _JOB, tr("What cannot be made any shorter by another printer."), tr("The most hours of one piece.")
    ),
    "material": Meaning(
        _JOB,
        tr("What has to be bought."),
        tr(
            "Filament: walls, infill and support, by the profile. Resin: all of the volume and "
            "its posts. Times the density of the piece's material."
        ),
    ),
    "beds": Meaning(
        _JOB,
        tr("How often a bed is cleared."),
        tr(
            "Pieces and copies laid by their true outlines, a gap apart; beside it, how few there must be by area "
            "alone."
        ),
    ),
    "cost": Meaning(
        _JOB,
        tr("What all of it costs, in your own currency."),
        tr(
            "Grams times the price of the material, hours times the price of an hour, and the "
            "profile's share for prints that fail."
        ),
    ),
    "to glue": Meaning(_JOB, tr("The work that is left for the hands."), tr("Contacts of one prop, and their area.")),
    "size": Meaning(_SIZE, tr("How large it is as it stands."), tr("Of its box along the axes of the bed.")),
    "size as opened": Meaning(_SIZE, tr("What stands in the file."), tr("Of its box along the axes of the file.")),
    "volume": Meaning(
        _SIZE,
        tr("What is within the surface; none while it is open."),
        tr("A sixth of the sum of the triple products of all facets' corners (divergence theorem)."),
    ),
    "surface area": Meaning(_SIZE, tr("What there is to paint."), tr("The sum of the areas of all facets.")),
    "triangles": Meaning(_SIZE, tr("How fine the surface is."), tr("Their number after mending.")),
    "bodies": Meaning(
        _SIZE, tr("Parts of the file that hang together."), tr("Shells, or what the file calls one object.")
    ),
    "moved by up to": Meaning(
        _SIZE,
        tr("How far mending has changed the surface."),
        tr(
            "The largest distance between a place of the old surface and the new one; over holes, from what closes "
            "them to the nearest place of the old one."
        ),
    ),
}

_CALLED = {
    "overhang": tr("overhang area"),
    "support": tr("support volume"),
    "on show": tr("scar on show faces"),
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
