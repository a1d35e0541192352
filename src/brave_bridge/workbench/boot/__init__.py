"""Kernels and what boots: listed, added, removed, held, built, tried once."""
