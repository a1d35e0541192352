"""The looks: a night harbour, a morning, and one of high contrast."""

from textual.theme import Theme

NIGHT = Theme(
    name="night",
    primary="#d4a656",
    secondary="#8fa3b8",
    accent="#d4a656",
    foreground="#c9d3dd",
    background="#0c1724",
    surface="#101f30",
    panel="#1a2d43",
    success="#62b89f",
    warning="#f0b64c",
    error="#f0776c",
    dark=True,
    variables={"quiet": "#7688a0", "cursor": "#26405f"},
)

MORNING = Theme(
    name="morning",
    primary="#86600f",
    secondary="#52657a",
    accent="#86600f",
    foreground="#1f2d3d",
    background="#f3f0e8",
    surface="#e9e5da",
    panel="#dcd6c7",
    success="#18745a",
    warning="#9c5a00",
    error="#b3312b",
    dark=False,
    variables={"quiet": "#6c7886", "cursor": "#d8cba8"},
)

CONTRAST = Theme(
    name="high-contrast",
    primary="#ffd75f",
    secondary="#ffffff",
    accent="#ffd75f",
    foreground="#ffffff",
    background="#000000",
    surface="#000000",
    panel="#1c1c1c",
    success="#5fffaf",
    warning="#ffd700",
    error="#ff8787",
    dark=True,
    variables={"quiet": "#d0d0d0", "cursor": "#00345f"},
)

THEMES = (NIGHT, MORNING, CONTRAST)
