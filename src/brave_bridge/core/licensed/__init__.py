"""Systems whose edition is set by a licence, and whose releases come on a medium."""
