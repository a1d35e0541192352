"""Plans made and decided about, and what a leg leaves to a person."""
