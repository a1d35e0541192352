"""Every action by name, for Ctrl+P: words, what it does, and the application's action."""

ACTIONS = (
    ("Next step", "Do what the Next line says (n)", "next_step"),
    ("Survey again", "Read the machine anew (s)", "read_again"),
    ("Updates", "Bring the present release up to date (u)", "update"),
    ("Confirm a backup", "Say that home and data are backed up today (k)", "confirm_backup"),
    ("Settings backup", "Archive /etc, package selections, sources and keys (b)",
     "back_up_settings"),
    ("Field note", "Write what was learnt about the leg ahead (i)", "note"),
    ("Plan", "Plan the way to the goal (p)", "plan"),
    ("What counts first", "Put the wishes of a plan into another order (o)", "order"),
    ("Policies", "The answers that hold for every machine (K)", "policies"),
    ("Cross", "Cross the planned legs (c)", "cross"),
    ("Take a snapshot", "Make a way back now (b)", "snapshot"),
    ("Recovery card", "Write the page for a machine that does not start (c)", "card"),
    ("Rest", "Rest at the next checkpoint (r)", "rest"),
    ("Go on", "Go on with what rests (g)", "go_on"),
    ("Prove again", "Hold the machine against its baseline", "prove"),
    ("Export", "Write this view to files (x)", "export"),
    ("Change the look", "Night, morning, high contrast (t)", "look"),
    ("Leave", "Close the screen; nothing under way ends (q)", "leave"),
)  # fmt: skip
