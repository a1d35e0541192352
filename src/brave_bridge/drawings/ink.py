"""What all drawings share: colours for paper, and writing them to files."""

from pathlib import Path

INK, BRASS, PALE = "#16263a", "#8a6414", "#9aa5b1"
SEA, AMBER, CORAL = "#2f8f74", "#c07a12", "#c2453b"


def save(figure, path: Path) -> None:
    """Write a figure; the file's ending (.svg, .pdf) decides the format. No time is kept in it."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg

    FigureCanvasAgg(figure)
    figure.savefig(path, metadata={"Date": None} if path.suffix == ".svg" else None)
