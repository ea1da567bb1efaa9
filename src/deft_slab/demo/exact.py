"""A part with exact surfaces, as STEP text: the ring that holds the glass of the harbour lantern.

ISO 10303-21 (the text form) and -214 (the entities): a boundary representation of two cylinders and two flat rings.
"""

from __future__ import annotations


class _Text:
    """Numbers entities as they are written."""

    def __init__(self) -> None:
        self.lines: list[str] = []

    def add(self, entity: str) -> str:
        self.lines.append(f"#{len(self.lines) + 1}={entity};")
        return f"#{len(self.lines)}"

    def point(self, x: float, y: float, z: float) -> str:
        return self.add(f"CARTESIAN_POINT('',({x:.9E},{y:.9E},{z:.9E}))")

    def direction(self, x: float, y: float, z: float) -> str:
        return self.add(f"DIRECTION('',({x:.1f},{y:.1f},{z:.1f}))")

    def frame(self, z: float, up: float = 1.0) -> str:
        place = (self.point(0, 0, z), self.direction(0, 0, up), self.direction(1, 0, 0))
        return self.add(f"AXIS2_PLACEMENT_3D('',{','.join(place)})")

    def oriented(self, edge: str, ahead: bool) -> str:
        return self.add(f"ORIENTED_EDGE('',*,*,{edge},{'.T.' if ahead else '.F.'})")

    def loop(self, *edges: tuple[str, bool]) -> str:
        parts = ",".join(self.oriented(*edge) for edge in edges)
        return self.add(f"EDGE_LOOP('',({parts}))")


def ring_step(outer: float, inner: float, height: float, name: str = "Glass ring") -> str:
    """A ring standing on z = 0; radii and height in mm."""
    text = _Text()
    circles, seams = {}, {}
    for radius in (outer, inner):
        ends = {}
        for z in (0.0, height):
            vertex = text.add(f"VERTEX_POINT('',{text.point(radius, 0, z)})")
            circle = text.add(f"CIRCLE('',{text.frame(z)},{radius:.9E})")
            circles[radius, z] = text.add(f"EDGE_CURVE('',{vertex},{vertex},{circle},.T.)")
            ends[z] = vertex
        along = text.add(f"VECTOR('',{text.direction(0, 0, 1)},1.)")
        line = text.add(f"LINE('',{text.point(radius, 0, 0)},{along})")
        seams[radius] = text.add(f"EDGE_CURVE('',{ends[0.0]},{ends[height]},{line},.T.)")
    faces = []
    for radius, outward in ((outer, ".T."), (inner, ".F.")):
        low, high, seam = circles[radius, 0.0], circles[radius, height], seams[radius]
        loop = text.loop((low, True), (seam, True), (high, False), (seam, False))
        bound = text.add(f"FACE_OUTER_BOUND('',{loop},{outward})")
        surface = text.add(f"CYLINDRICAL_SURFACE('',{text.frame(0)},{radius:.9E})")
        faces.append(text.add(f"ADVANCED_FACE('',({bound}),{surface},{outward})"))
    for z, up in ((0.0, -1.0), (height, 1.0)):
        around = text.add(f"FACE_OUTER_BOUND('',{text.loop((circles[outer, z], up > 0))},.T.)")
        hole = text.add(f"FACE_BOUND('',{text.loop((circles[inner, z], up < 0))},.T.)")
        plane = text.add(f"PLANE('',{text.frame(z, up)})")
        faces.append(text.add(f"ADVANCED_FACE('',({around},{hole}),{plane},.T.)"))
    shell = text.add(f"CLOSED_SHELL('',({','.join(faces)}))")
    solid = text.add(f"MANIFOLD_SOLID_BREP('{name}',{shell})")
    _describe(text, solid, name)
    head = (
        "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION(('A ring'),'2;1');\n"
        f"FILE_NAME('{name}','2026-01-01T00:00:00',(''),(''),'','Deft Slab','');\n"
        "FILE_SCHEMA(('AUTOMOTIVE_DESIGN { 1 0 10303 214 1 1 1 1 }'));\nENDSEC;\nDATA;\n"
    )
    return head + "\n".join(text.lines) + "\nENDSEC;\nEND-ISO-10303-21;\n"


def _describe(text: _Text, solid: str, name: str) -> None:
    """Write what the solid is the shape of, and that lengths are in millimetres."""
    length = text.add("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))")
    angle = text.add("(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.))")
    steradian = text.add("(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT())")
    exact = text.add(f"UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(1.E-06),{length},'','')")
    context = text.add(
        f"(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT(({exact}))"
        f"GLOBAL_UNIT_ASSIGNED_CONTEXT(({length},{angle},{steradian}))REPRESENTATION_CONTEXT('',''))"
    )
    shape = text.add(f"ADVANCED_BREP_SHAPE_REPRESENTATION('',({text.frame(0)},{solid}),{context})")
    application = text.add("APPLICATION_CONTEXT('automotive design')")
    product_context = text.add(f"PRODUCT_CONTEXT('',{application},'mechanical')")
    product = text.add(f"PRODUCT('{name}','{name}','',({product_context}))")
    formation = text.add(f"PRODUCT_DEFINITION_FORMATION('','',{product})")
    design = text.add(f"PRODUCT_DEFINITION_CONTEXT('part definition',{application},'design')")
    definition = text.add(f"PRODUCT_DEFINITION('design','',{formation},{design})")
    of_shape = text.add(f"PRODUCT_DEFINITION_SHAPE('','',{definition})")
    text.add(f"SHAPE_DEFINITION_REPRESENTATION({of_shape},{shape})")
