"""Scripts about kernels: tried once, built, added and taken away, held at a series."""
