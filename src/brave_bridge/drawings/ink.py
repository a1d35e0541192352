"""What all drawings share: colours for paper, texts that can be drawn, and writing files."""

import io
from collections.abc import Callable
from functools import wraps
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from brave_bridge.core.formats.text import drawable
from brave_bridge.machines.opening.named import write_named

INK, BRASS, PALE = "#16263a", "#8a6414", "#9aa5b1"
SEA, AMBER, CORAL = "#2f8f74", "#c07a12", "#c2453b"

Pen = TypeVar("Pen", bound=Callable[..., Any])


def of_text_alone(pen: Pen) -> Pen:
    """Let a pen be given nothing that no paper shows, and no XML may hold, wherever it stands."""

    @wraps(pen)
    def draw(*given: Any, **named: Any) -> Any:
        cleaned = {name: _cleaned(value) for name, value in named.items()}
        return pen(*map(_cleaned, given), **cleaned)

    return draw  # type: ignore[return-value]


def _cleaned(value: Any) -> Any:
    if isinstance(value, str):
        return drawable(value)
    if isinstance(value, msgspec.Struct):
        fields = {name: getattr(value, name) for name in value.__struct_fields__}
        return msgspec.structs.replace(value, **{n: _cleaned(v) for n, v in fields.items()})
    if type(value) in (list, tuple):
        return type(value)(map(_cleaned, value))
    return value


def save(figure: Any, path: Path) -> None:
    """Write a figure; the file's ending (.svg, .pdf) decides the format. No time is kept in it."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg

    FigureCanvasAgg(figure)
    drawn = io.BytesIO()
    metadata = {"Date": None} if path.suffix == ".svg" else None
    figure.savefig(drawn, format=path.suffix[1:], metadata=metadata)
    write_named(path, drawn.getvalue())
