"""What model files are called. Light to load: the window asks for them."""

ENDINGS = (".3mf", ".stl", ".obj", ".ply", ".off", ".glb", ".gltf", ".step", ".stp")
