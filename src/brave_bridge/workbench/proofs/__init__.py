"""Baselines and proofs: taken, held against each other, repeated."""
