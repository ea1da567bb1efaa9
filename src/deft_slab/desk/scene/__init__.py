"""The bed in 3D. Only this package knows VTK."""
