"""Files of plain Python: what runs where nothing but an interpreter is."""
