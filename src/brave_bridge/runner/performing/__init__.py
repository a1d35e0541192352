"""What the requests of scripts come to on a machine, one module a subject."""
