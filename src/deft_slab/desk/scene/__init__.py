"""The bed in 3D. The only place that knows VTK."""
