"""What the program is called, and by which variable a shell asks it for suggestions."""

PROGRAM, VARIABLE = "brave-bridge", "_BRAVE_BRIDGE_COMPLETE"
