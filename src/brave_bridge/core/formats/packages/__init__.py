"""Packages and indices of packages, as each family writes them."""
