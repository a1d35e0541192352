"""Kernels as packages: whose they are, which stay, which series a machine is held at."""
