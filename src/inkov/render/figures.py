"""Figures that come out the same every time: fixed fonts and identifiers, and no date inside."""

from __future__ import annotations

import io
import logging
import os
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any, Final

from inkov.model.errors import BadInput, Problem
from inkov.model.source import Source

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_NO_DATE: Final[dict[str, dict[str, Any]]] = {
    "png": {"Software": None},
    "svg": {"Date": None, "Creator": "Inkov"},
    "pdf": {"CreationDate": None, "Producer": None, "Creator": "Inkov"},
}


@contextmanager
def _elsewhere() -> Iterator[None]:
    """Leaves the current folder for a moment: the drawing library takes settings from it, which may start programs."""
    try:
        here = Path.cwd()
    except OSError:  # it is gone
        here = Path("/")
    os.chdir(Path(__file__).parent)
    try:
        yield
    finally:
        os.chdir(here)


def saved(
    size: tuple[float, float],
    draw: Callable[[Figure], object],
    kind: str,
    *,
    dpi: float,
    command: str,
    settings: Mapping[str, Any],
) -> bytes:
    """Draws a figure and returns it as a file.

    Args:
        size: width and height in inches.
        draw: what draws on it.
        kind: png, svg or pdf.
        dpi: dots per inch.
        command: which was asked for, for the error.
        settings: of the drawing library, over those that all figures have.

    Raises:
        BadInput: what draws is not installed.
    """
    logging.getLogger("matplotlib").setLevel(logging.ERROR)  # that HOME cannot be written to is no news
    try:
        with _elsewhere():
            import matplotlib as mpl
            from matplotlib.figure import Figure
        mpl.rcdefaults()
    except ImportError:
        what = "drawing needs Matplotlib: pip install 'inkov[draw]'"
        raise BadInput([Problem(Source(command), what)]) from None

    every: Any = {"svg.fonttype": "none", "svg.hashsalt": "inkov", "font.family": "DejaVu Sans", **settings}
    with mpl.rc_context(every):
        figure = Figure(figsize=size, facecolor="white")
        draw(figure)
        made = io.BytesIO()
        figure.savefig(made, format=kind, dpi=dpi, metadata=_NO_DATE[kind])
    return made.getvalue()
