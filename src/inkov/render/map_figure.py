"""A drawing as SVG, and as PNG or PDF by Matplotlib's objects; the same drawing gives the same bytes."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Final

from inkov.drawing.picture import (
    ISLAND,
    LABEL_SIZE,
    LOUD,
    PAD,
    TEXT_SIZE,
    TITLE_SIZE,
    Drawn,
    Label,
    Line,
    Picture,
    Tone,
    width_of,
)
from inkov.render.figures import saved
from inkov.render.map_svg import alone

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

INK: Final = "#1f2933"
_EDGES: Final = {
    Tone.PLAIN: ("#52606d", 1.0, "-"),
    Tone.FAINT: ("#c3cad2", 0.7, "-"),
    Tone.CARRIES: ("#0b7a75", 1.6, "-"),
    Tone.LOST: ("#b42318", 1.6, (0, (1, 1.6))),
    Tone.BLOCKED: ("#7b5ea7", 1.2, (0, (5, 3))),
    Tone.WAY: ("#b42318", 2.6, "-"),
    Tone.TOUCHED: ("#a15c00", 1.8, "-"),
    Tone.UNKNOWN: ("#52606d", 0.9, (0, (2, 2))),
}
_FILLS: Final = {
    Tone.PLAIN: "#f3f5f7",
    Tone.FAINT: "#fbfcfd",
    Tone.CARRIES: "#e2f3f1",
    Tone.WAY: "#fdeceb",
    Tone.TOUCHED: "#fdf1de",
}
HATCHES: Final = ("", "//", "..", "\\\\", "xx", "--", "oo", "||")
_MARGIN, _HEAD, _FOOT = 18.0, 40.0, 16.0
_SIGN, _LEGEND_SIZE, _LEGEND_GAP = 28.0, 7.0, 12.0
_DPI: Final = 130
_MOST_PIXELS: Final = 16_000
FORMATS: Final = ("png", "svg", "pdf")


def drawn(picture: Picture, kind: str) -> bytes:
    """Returns a drawing in a format.

    Args:
        picture: what is drawn.
        kind: png, svg or pdf.

    Raises:
        BadInput: what draws is not installed.
    """
    if kind == "svg":
        return alone(picture)
    width, height = _size(picture)
    dpi = min(_DPI, _MOST_PIXELS * 72 / max(width, height))
    size = width / 72, height / 72
    return saved(
        size, lambda figure: draw_on(figure, picture), kind, dpi=dpi, command="map", settings={"path.simplify": False}
    )


def _size(picture: Picture) -> tuple[float, float]:
    width, items = max(picture.width, 420.0), len(picture.legend) + len(picture.islands)
    legend = _FOOT * (1 + -(-items // _columns(picture, width)))
    return width + 2 * _MARGIN, picture.height + _HEAD + legend + _MARGIN


def _columns(picture: Picture, width: float) -> int:
    """Returns how many signs of the legend stand side by side: up to three, none in the way of the next."""
    longest = max((width_of(words, _LEGEND_SIZE) for _, words in (*picture.legend, *picture.islands)), default=0.0)
    return max(1, min(3, int(width // (_SIGN + longest + _LEGEND_GAP))))


def draw_on(figure: Figure, picture: Picture) -> Axes:
    """Draws on a figure of the right size; returns the axes, in points from the upper left corner."""
    width, height = _size(picture)
    axes = figure.add_axes((0, 0, 1, 1))
    axes.set_xlim(0, width)
    axes.set_ylim(height, 0)
    axes.set_axis_off()
    _text(axes, _MARGIN, 16, picture.title, size=12, weight="bold", va="center")
    _text(axes, _MARGIN, 31, picture.subtitle, size=7.5, va="center", color="#52606d")
    left = _MARGIN + (width - 2 * _MARGIN - picture.width) / 2
    for number, line in enumerate(picture.lines):
        _line(axes, line, left, number)
    for number, box in enumerate(picture.boxes):
        _box(axes, box, left, number)
    _legend(axes, picture, height)
    return axes


def _text(axes: Axes, x: float, y: float, text: str, **style: Any) -> None:  # noqa: ANN401 - of the library
    axes.text(x, y, text, parse_math=False, **{"color": INK, **style})


def _line(axes: Axes, line: Line, left: float, number: int) -> None:
    color, width, dashes = _EDGES[line.tone]
    points = [(x + left, y + _HEAD) for x, y in line.route.points]
    (drawn_line,) = axes.plot(
        *zip(*points, strict=True),
        color=color,
        linewidth=width + min(line.count - 1, 3) * 0.8,
        linestyle=dashes,
        solid_joinstyle="round",
        zorder=1 if line.tone is Tone.FAINT else 2,
    )
    drawn_line.set_gid(f"line-{number}")
    if line.route.b is None:
        axes.plot(*points[-1], marker="o", markersize=3, color=color, markerfacecolor="white", zorder=2)
    for end, label in ((line.route.a, line.a), (line.route.b, line.b)):
        if end is not None and label.text:
            _label(axes, label, end.x + left, end.y + _HEAD, down=end.down)


def _label(axes: Axes, label: Label, x: float, y: float, *, down: bool) -> None:
    color = _EDGES[label.tone][0] if label.tone is not Tone.FAINT else "#7b8794"
    weight = "bold" if label.tone in LOUD else "normal"
    _text(
        axes,
        x + 1.4,
        y + 3 if down else y - 3,
        label.text,
        size=LABEL_SIZE,
        rotation=90,
        ha="left",
        va="top" if down else "bottom",
        color=color,
        weight=weight,
        zorder=3,
    )


def _box(axes: Axes, box: Drawn, left: float, number: int) -> None:
    from matplotlib.patches import FancyBboxPatch

    faint = box.tone is Tone.FAINT
    color = _EDGES[box.tone][0]
    letter = ord(box.island[0]) - ord("A") if box.island else -1
    x, y = box.box.x + left, box.box.y + _HEAD
    round_ = {"router": 8.0, "bundle": 1.0}.get(box.kind, 3.0)
    shape = FancyBboxPatch(
        (x, y),
        box.box.width,
        box.box.height,
        boxstyle=f"round,pad=0,rounding_size={round_}",
        facecolor=_FILLS.get(box.tone, _FILLS[Tone.PLAIN]),
        edgecolor=color,
        linewidth=0.8 if faint else 1.3,
        linestyle=(0, (4, 2)) if box.kind == "unmanaged" else "-",
        zorder=4,
    )
    shape.set_gid(f"box-{number}")
    axes.add_patch(shape)
    if letter >= 0:
        hatched = FancyBboxPatch(
            (x + box.box.width - ISLAND, y),
            ISLAND,
            box.box.height,
            boxstyle="round,pad=0,rounding_size=2",
            facecolor="white",
            edgecolor=color,
            linewidth=0.8,
            hatch=HATCHES[letter % len(HATCHES)],
            zorder=5,
        )
        axes.add_patch(hatched)
        patch = {"boxstyle": "round,pad=0.15", "facecolor": "white", "edgecolor": "none"}
        _text(
            axes,
            x + box.box.width - ISLAND / 2,
            y + box.box.height / 2,
            box.island,
            size=8,
            weight="bold",
            ha="center",
            va="center",
            zorder=6,
            bbox=patch,
        )
    if box.kind == "bundle":
        axes.plot(
            [x + 3, x + box.box.width + 3, x + box.box.width + 3],
            [y - 3, y - 3, y + box.box.height - 3],
            color=color,
            linewidth=0.8,
            zorder=3,
        )
    middle = x + (box.box.width - (ISLAND if letter >= 0 else 0)) / 2
    at = y + PAD + TITLE_SIZE * 0.62
    color = "#7b8794" if faint else INK
    _text(axes, middle, at, box.name, size=TITLE_SIZE, weight="bold", ha="center", va="center", color=color, zorder=6)
    for n, line in enumerate(box.lines):
        below = at + TITLE_SIZE * 0.62 + TEXT_SIZE * (0.75 + 1.25 * n)
        _text(axes, middle, below, line, size=TEXT_SIZE, ha="center", va="center", color=color, zorder=6)


def _legend(axes: Axes, picture: Picture, height: float) -> None:
    width, _ = _size(picture)
    columns = _columns(picture, width - 2 * _MARGIN)
    column = (width - 2 * _MARGIN) / columns
    items: list[tuple[Tone | str, str]] = [*picture.legend, *picture.islands]
    rows = -(-len(items) // columns)
    for n, (sign, words) in enumerate(items):
        x, y = _MARGIN + column * (n % columns), height - _FOOT * (rows - n // columns)
        if isinstance(sign, Tone):
            color, thick, dashes = _EDGES[sign]
            axes.plot([x, x + 22], [y, y], color=color, linewidth=thick, linestyle=dashes)
        else:
            _text(axes, x + 11, y, sign, size=8, weight="bold", ha="center", va="center")
        _text(axes, x + _SIGN, y, words, size=_LEGEND_SIZE, va="center")
