"""Legs of systems that are made as one: images, editions, media."""
