"""What each figure means and how it is computed: said where the pointer rests on it, and listed in docs/figures.md."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Meaning:
    """means : in plain words; how : it is computed; group : under what the docs list it"""

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
        _SUPPORT, "Surface that cannot be printed without something under it.",
        "The area of all facets whose angle from the vertical is past the threshold, less those that rest on the bed "
        "(all corners within 0.2 mm of it)."),
    "support volume": Meaning(
        _SUPPORT, "The space that support would fill; not the plastic in it.",
        "For every facet that needs support, the gap down to the next surface of the piece or to the bed, times its "
        "area seen from above. The first part is summed exactly; where it lands is sampled on 256 columns."),
    "before any cut": Meaning(
        _SUPPORT, "What the model would need in one piece, to compare with.",
        "The support volume of the uncut model in the tilt that it has now."),
    "support left": Meaning(
        _SUPPORT, "How much of the support is still there after cutting.",
        "Support volume of all pieces, each in its seat, over that of the whole model as it stands."),
    "on the bed": Meaning(
        _SUPPORT, "Support that is easy to take off: it marks one side only.",
        "The part of the support volume whose columns end on the bed."),
    "on the piece": Meaning(
        _SUPPORT, "Support that stands on the piece itself, and marks it twice.",
        "The part of the support volume whose columns end on a surface of the same piece."),
    "hard to reach": Meaning(
        _SUPPORT, "Support that can hardly be got out, as from within a shell.",
        "The part of the support volume from where less than a tenth of all directions leads out (exposure under 0.1, "
        "from depth maps in 256 directions)."),
    "plastic in it": Meaning(
        _SUPPORT, "What the support costs in material.",
        "Support volume times the support density of the printer's profile."),
    "touched area": Meaning(
        _SUPPORT, "Surface that support leaves marks on.",
        "Supported area, and the area of the piece that support stands on. Posts count by their tips instead."),
    "scar on show faces": Meaning(
        _SUPPORT, "Marks where the prop must come out clean.",
        "The part of the touched area that lies on faces that are marked as show faces."),
    "scar in sight": Meaning(
        _SUPPORT, "Marks of support that will be seen on the finished prop.",
        "Touched area on the assembled prop, each part times the share of directions of the audience from which it is "
        "seen; what lies on a glued face does not count."),
    "kept clear": Meaning(
        _SUPPORT, "Surface that needs support and is refused it: it would hang in the air.",
        "The area past the threshold that lies in clear spots. No support is counted there."),
    "base area": Meaning(
        _SITS, "What the piece stands on.", "The area of the facets whose corners all lie within 0.2 mm of the bed."),
    "tips at": Meaning(
        _SITS, "How far it can be tilted before it falls over; under 10° it does not sit flat.",
        "The arc tangent of the way from under the centre of mass to the nearest edge of the base (its convex outline) "
        "over the height of the centre of mass."),
    "sit flat": Meaning(
        _SITS, "Pieces that need nothing to stand.",
        "At least 25 mm² and 2 % of the shadow rest on the bed, and the piece does not tip over before 10°."),
    "fit": Meaning(
        _SITS, "Pieces that the printer can print as they sit.",
        "There is a turn about the vertical for which the piece stays inside the bed less its margin, under the "
        "printer's height."),
    "height": Meaning(_SITS, "How high it stands over the bed.", "Its highest point, with the lift on support."),
    "layers": Meaning(_SITS, "How often a layer is laid or exposed.", "Height over the printer's usual layer height."),
    "largest layer": Meaning(
        _SITS, "On resin, wide layers pull hard at the film; on filament, they take long.",
        "The largest area of a section in the middle of a layer: half the sum of p × q over the segments in which the "
        "surface meets that level, which is exact."),
    "sudden growth": Meaning(
        _SITS, "A layer that is much larger than the one before peels with a jerk, and warps.",
        "The most that the area of a layer is over that of the one before."),
    "nearly level underside": Meaning(
        _SITS, "Undersides that sag, or come out rough, even with support.",
        "Area that faces down within 10° of flat and does not rest on the bed."),
    "pieces": Meaning(_SEAM, "Printable parts.", "Bodies of all sides of the cuts that are on, with loose keys and "
                                                 "bands."),
    "seam": Meaning(
        _SEAM, "The line on the outside along which pieces meet.",
        "The length of the curves where cut faces meet the surface, counted once for each cut."),
    "seam in sight": Meaning(
        _SEAM, "How much of the seam will be noticed.",
        "The length of the seam, each part times the share of directions of the audience from which it is seen: an "
        "open "
        "flat place has 1, a groove little."),
    "across show faces": Meaning(
        _SEAM, "Seam where the prop must come out clean.", "The length of the seam that crosses show faces."),
    "cut area": Meaning(
        _SEAM, "What is glued.", "The area of the cut faces, counted once for the two sides of each."),
    "joined": Meaning(
        _JOINS, "Contacts that are held in place by more than glue.",
        "Contacts with a join that is made and keeps the pieces from sliding, of all contacts."),
    "thinnest wall": Meaning(
        _JOINS, "Where a piece might break, or print with a hole.",
        "The least distance from a socket, hole or void to the outside of its piece."),
    "base kept": Meaning(
        _JOINS, "How much of what pieces stand on is left by keys and sockets there.",
        "Base area of all pieces with their joins over that without them."),
    "islands": Meaning(
        _JOINS, "Parts of a layer that begin in the air: on resin they drop into the vat.",
        "Regions of a layer's exact section that touch no region of the layer below and that no support or post "
        "holds."),
    "largest cup": Meaning(
        _JOINS, "Air that is closed in while printing pulls at the film, and may tear it.",
        "The largest area, in any layer, of what is closed in by the piece and the film."),
    "voids": Meaning(
        _JOINS, "What was taken out of a piece.", "The number of voids that hollowing left, and their volume."),
    "saved": Meaning(
        _JOINS, "Material that hollowing saves.", "Volume before, less volume after, with plugs counted."),
    "posts": Meaning(_JOINS, "Support posts that stand.", "Those whose way to the bed or to the piece was found."),
    "slender": Meaning(
        _JOINS, "Posts so thin for their length that they are braced.",
        "Longer than 40 times their diameter: at that, Euler's load of a rod clamped at its foot and held at its tip "
        "is "
        "a hundredth of what it bears at 4."),
    "touched": Meaning(_JOINS, "The scar that posts leave.", "The area of all tips where they touch the surface."),
    "plastic": Meaning(_JOINS, "What the posts cost in material.", "The volume of all posts, feet and braces."),
    "show faces": Meaning(_SUPPORT, "What must come out clean.", "The area that is marked so."),
    "hold spots": Meaning(
        _SUPPORT, "Where support is asked for, whatever the angle.", "The area that is marked so and faces down."),
    "clear spots": Meaning(_SUPPORT, "Where no support may stand.", "The area that is marked so."),
    "time": Meaning(
        _JOB, "An estimate of the hours, from the printer's profile.",
        "Resin: bottom layers, and the others at exposure and lift; all pieces of a bed at once. Filament: walls, "
        "infill "
        "and support over line width × layer height × speed, and a fixed time a layer; walls by the coarea formula, "
        "∫ √(1 − n_z²) over the surface."),
    "all done after": Meaning(
        _JOB, "How long it is until the last bed is done, with both printers at work at once.",
        "The larger of the sums of hours of the beds of each printer."),
    "longest piece": Meaning(_JOB, "What cannot be made any shorter by another printer.", "The most hours of one "
                                                                                          "piece."),
    "material": Meaning(
        _JOB, "What has to be bought.",
        "Filament: walls, infill and support, by the profile. Resin: all of the volume and its posts. Times the "
        "density "
        "of the piece's material."),
    "beds": Meaning(
        _JOB, "How often a bed is cleared.",
        "Pieces and copies laid by their true outlines, a gap apart; beside it, how few there must be by area alone."),
    "cost": Meaning(
        _JOB, "What all of it costs, in your own currency.",
        "Grams times the price of the material, hours times the price of an hour, and the profile's share for prints "
        "that fail."),
    "to glue": Meaning(_JOB, "The work that is left for the hands.", "Contacts of one prop, and their area."),
    "size": Meaning(_SIZE, "How large it is as it stands.", "Of its box along the axes of the bed."),
    "size as opened": Meaning(_SIZE, "What stands in the file.", "Of its box along the axes of the file."),
    "volume": Meaning(
        _SIZE, "What is within the surface; none while it is open.",
        "A sixth of the sum of the triple products of all facets' corners (divergence theorem)."),
    "surface area": Meaning(_SIZE, "What there is to paint.", "The sum of the areas of all facets."),
    "triangles": Meaning(_SIZE, "How fine the surface is.", "Their number after mending."),
    "bodies": Meaning(_SIZE, "Parts of the file that hang together.", "Shells, or what the file calls one object."),
    "moved by up to": Meaning(
        _SIZE, "How far mending has changed the surface.",
        "The largest distance from the new surface to the nearest place of the old one."),
}  # fmt: skip

_CALLED = {
    "overhang": "overhang area", "support": "support volume", "on show": "scar on show "
    "faces", "scarred there": "scar on show faces", "on show faces": "scar on show faces", "thinnest": "thinnest wall",
    "tallest": "height", "job": "time", "left in the air": "kept clear",
}  # fmt: skip
"""Where a figure stands under a shorter name."""


def meaning_of(name: str) -> Meaning | None:
    """Of a figure, by the name that it stands under; None where there is none of that name."""
    name = name.lower()
    return MEANINGS.get(_CALLED.get(name, name))


def hover(name: str, of: str) -> str:
    """What is said while the pointer rests on a figure: what it is of, what it means, how it is computed."""
    found = meaning_of(name)
    if found is None:
        return of
    return f"{of}\n\nMeans: {found.means}\nHow: {found.how}".strip()


def as_markdown() -> str:
    """All of them, as a page."""
    lines = [
        "# How to read each figure", "",
        "The same words are shown where the pointer rests on a figure in the window. Made by `./deft made` from the "
        "program's own table; [how it works](how-it-works.md) says more.", "",
        "Lengths are mm, areas mm² (cm² from 100 mm²), volumes mm³ (shown as cm³), angles degrees, times h:mm. ≈ "
        "stands "
        "before what comes from a stand-in of few triangles while something is dragged.", "",
    ]  # fmt: skip
    for group in dict.fromkeys(one.group for one in MEANINGS.values()):
        lines += [f"## {group}", "", "| figure | what it means | how it is computed |", "|---|---|---|"]
        lines += [f"| **{name}** | {one.means} | {one.how} |" for name, one in MEANINGS.items() if one.group == group]
        lines.append("")
    return "\n".join(lines)
