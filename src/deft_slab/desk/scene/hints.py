"""What a click or a drag does now, in words. It depends on what the desk waits for and on what is under the pointer."""

from __future__ import annotations

from ...core.locale.translate import tr

HINTS = {
    "": "",
    "post": tr("Click the surface where a post should touch. Esc ends it."),
    "post away": tr("Click near the tip of the post to remove. Esc ends it."),
    "post pick": tr("Click near the tip of the post to change. Esc ends it."),
    "posts around": tr("Click the middle of a region that should get posts. Esc ends it."),
    "posts away around": tr("Click the middle of a region from which all posts should be removed. Esc ends it."),
    "post foot": tr("Click where the post should stand, on the bed or on the piece. Esc leaves it where it is."),
    "vent": tr("Click the surface where the vent should be. Esc ends it."),
    "facet": tr("Click the facet that should lie on the bed."),
    "three": tr("Click three points; the plane through them will lie on the bed. Esc ends it."),
    "region": tr("Click a smooth region that should lie on the bed. Esc ends it."),
    "up": tr("Click a lower point, then an upper one. Esc ends it."),
    "turn": tr("Drag the pole to lean the piece, or the mark on the bed to turn it. Shift: steps of 5°. Esc ends "
               "it."),
    "brush": tr("Drag over the surface. Esc ends it."),
    "grown": tr("Click a smooth region. Esc ends it."),
    "ball": tr("Click the middle of the ball. Esc ends it."),
    "box": tr("Click the middle of the box. Esc ends it."),
    "distance": tr("Click two points of the model. Esc ends it."),
    "scale": tr("Click two points whose distance you know. Esc ends it."),
    "wall": tr("Click where the wall should be measured. Esc ends it."),
    "edge": tr("Click near a round edge. Esc ends it."),
    "move": tr("Drag to move the cut. Shift: whole millimetres."),
    "lean": tr("Drag to turn the cut. Shift: steps of 5°."),
    "swing": tr("Drag to turn the cut. Shift: steps of 5°."),
    "middle": tr("Drag to move it."),
    "size": tr("Drag to stretch it."),
    "point": tr("Drag the point over the surface. Near a crease it snaps to it."),
    "cell": tr("Drag the wall. It stays between its neighbours."),
    "cut line": tr("Click points along the line. Enter makes a sheet through it, L a loop around a limb. Esc ends "
                   "it."),
    "cut outline": tr("Click points around what the cut may reach. Enter ends the outline, Esc discards it."),
    "cut scoop": tr("Click where the scoop should be. Esc ends it."),
    "cut lift-off": tr("Click the ornament to cut off. Esc ends it."),
    "cut patch": tr("Click the region to cut off. Esc ends it."),
    "cut brush": tr("Drag over what belongs to the patch. Esc ends it."),
    "cut region": tr("Click a smooth region that belongs to the patch. Esc ends it."),
    "border": tr("Drag the border over the surface."),
    "cut reach": tr("Click the region that the cut should be limited to. Esc ends it."),
    "cut three": tr("Click three points that the cut should go through. Esc ends it."),
    "cut edge": tr("Click near an edge that goes around. Esc ends it."),
    "cut facet": tr("Click a facet in whose plane the cut should lie. Esc ends it."),
}
