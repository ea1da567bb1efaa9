"""The words of the desk, each with a sentence on what it means: for the help in the window and for the docs."""

from __future__ import annotations

from ...core.locale.translate import tr

GLOSSARY: tuple[tuple[str, str], ...] = (
    (tr("Audience"), tr("Where the finished prop is looked at from. It decides which seams and scars count as seen.")),
    (tr("Band"), tr("A strip, ring or cap on the outside that covers a seam. It is printed separately.")),
    (tr("Base area"), tr("The area of a piece that lies on the bed.")),
    (tr("Bed"), tr("The surface that the printer builds on, and the pieces that are printed on it together.")),
    (tr("Bent cut"), tr("A cut along a smooth sheet through a line that you draw on the model, or around a limb.")),
    (tr("Block cut"), tr("A cut into cells, for a prop that is larger than the printer.")),
    (tr("Carrier"), tr("The piece that a key stands out of. The other piece has the socket.")),
    (tr("Choice"), tr("One complete way to tilt, cut and join the model, kept in the ledger to compare.")),
    (tr("Clear spot"), tr("A place that support must not touch.")),
    (tr("Clearance"), tr("The gap between a part and its hole, on each side.")),
    (tr("Contact"), tr("The faces along which two pieces meet.")),
    (tr("Coupon"), tr("A small test print that finds the right clearance for your printer.")),
    (tr("Crumb"), tr("A stray fragment that a cut leaves.")),
    (tr("Cup"), tr("A hollow that is open only towards the film of a resin printer. It pulls like a suction cup.")),
    (tr("Cut map"), tr("A disc of all directions that a straight cut can face, coloured by how good the best one is.")),
    (tr("Draft"), tr("The angle by which the sides of a key lean, so that it comes free when it is pulled out.")),
    (tr("Draft mesh"), tr("A mesh of few triangles that gives approximate figures (≈) while something is dragged.")),
    (tr("Dry fit"), tr("Putting the pieces together on the screen, without glue, in an order that works.")),
    (tr("Front"), tr("The plans that no other plan beats on both support left and seam in sight.")),
    (tr("Guest"), tr("A form of the wearer, or another model, that is shown with the prop at its own size.")),
    (tr("Height rail"), tr("The slider beside the bed with the area of every layer and what the check found.")),
    (tr("Hold spot"), tr("A place that gets support whatever its angle.")),
    (tr("Island"), tr("A part of a layer that begins in the air, with nothing below to hold it.")),
    (tr("Jump"), tr("A layer that is much larger than the one before it.")),
    (tr("Kerf"), tr("The thickness of the material that a cut removes.")),
    (tr("Key, socket"), tr("A peg on one piece, and the hole for it in the other.")),
    (tr("Lap"), tr("A stepped rim that joins two thin walls.")),
    (tr("Lattice"), tr("Rods through a hollow piece that support its walls.")),
    (tr("Ledger"), tr("The table of choices at the bottom of the window.")),
    (tr("Left on purpose"), tr("A finding of the check that you have accepted.")),
    (tr("Lift-off cut"), tr("A cut that takes a raised ornament off at its foot.")),
    (tr("Loose key"), tr("A separate key with a socket in both pieces.")),
    (tr("Neck"), tr("A small layer that carries much larger ones above it.")),
    (tr("Overhang threshold"), tr("The angle past which a surface needs support.")),
    (tr("Patch"), tr("A marked part of the surface that is cut off as a piece.")),
    (tr("Peel area"), tr("How much a resin printer has to pull off the film after a layer, including cups.")),
    (tr("Piece"), tr("A part that is printed on its own.")),
    (tr("Plan"), tr("Everything that you decide about a model: its size, cuts, joins, seats and supports.")),
    (tr("Plug"), tr("A part that closes a vent.")),
    (tr("Post, tip, stem, foot"), tr("A thin support, where it touches the piece, its shaft, and where it stands.")),
    (tr("Reach"), tr("How far a cut extends, so that it takes the jaw and leaves the nose.")),
    (tr("Room"), tr("How much wall is left around a join, drawn as a map on the contact.")),
    (tr("Scar"), tr("The marks that support leaves where it touched the surface.")),
    (tr("Scoop"), tr("A cut shaped like a dish or a sleeve, around a feature.")),
    (tr("Seam"), tr("The line on the outside along which pieces meet.")),
    (tr("Seam in sight"), tr("The length of the seam, weighted by how much of it the audience sees.")),
    (tr("Seat"), tr("One way for a piece to sit on the bed.")),
    (tr("Settle"), tr("Moving a cut to a place nearby where its seam is least visible.")),
    (tr("Show face"), tr("A surface that must come out clean.")),
    (tr("Splint"), tr("A strip on the inside, glued across a seam. It is printed separately.")),
    (tr("Stand-in printer"), tr("A simulated printer that comes with the program.")),
    (tr("Sweep"), tr("The figures of a cut, charted against its place.")),
    (tr("Tilt map"), tr("A disc of all directions that could point down, coloured by a figure.")),
    (tr("Vent"), tr("A hole through which resin leaves a hollow piece.")),
    (tr("Void"), tr("A closed space inside a piece.")),
    (tr("Way in"), tr("The direction in which one piece moves onto the other.")),
)
"""Each word with its meaning, in the order of the English alphabet."""


def as_markdown() -> str:
    """The glossary as a page of the docs, in English."""
    rows = [f"| **{word}** | {means} |" for word, means in GLOSSARY]
    return "\n".join(["# Glossary", "", "The words of the window and of these pages.", "", "| word | means |",
                      "| --- | --- |", *rows, ""])
