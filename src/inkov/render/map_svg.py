"""The drawing as SVG: inside of a page, whose style lays questions over its numbered boxes and lines, and as a file of its own."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Final

from markupsafe import Markup, escape

from inkov.drawing.picture import (
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
from inkov.handover import Overlaid
from inkov.render.page import clean

_MARGIN: Final = 12.0
STYLE: Final = """
.map text{fill:#1f2933;font-family:"DejaVu Sans",system-ui,sans-serif}
.map path{fill:none;stroke:#52606d;stroke-width:1}
.map rect{fill:#f3f5f7;stroke:#52606d;stroke-width:1.2}
.map .lost path,.map .lost{stroke:#b42318;stroke-dasharray:1.5 2.5;stroke-width:1.8}
.map .blocked{stroke:#6b4d97;stroke-dasharray:6 3}
.map .unknown{stroke-dasharray:2 2}.map .faint{stroke:#9aa5b1}
.map .ov{display:none}
.map .loud{fill:#b42318;font-weight:700}
"""
_TONES: Final = {
    Tone.CARRIES: "stroke:#0b7a75;stroke-width:2.2;stroke-dasharray:none",
    Tone.LOST: "stroke:#b42318;stroke-width:2;stroke-dasharray:1.5 2.5",
    Tone.BLOCKED: "stroke:#6b4d97;stroke-width:1.6;stroke-dasharray:6 3",
    Tone.WAY: "stroke:#b42318;stroke-width:3;stroke-dasharray:none",
}


def svg(picture: Picture, overlays: Sequence[Overlaid]) -> Markup:
    """Returns the drawing as markup.

    Args:
        picture: what is drawn.
        overlays: what the page may lay over it.
    """
    width, height = picture.width + 2 * _MARGIN, picture.height + 2 * _MARGIN
    parts = [
        *(_line(line, n) for n, line in enumerate(picture.lines)),
        *(_box(b, n) for n, b in enumerate(picture.boxes)),
    ]
    letters = "".join(_letters(picture, o) for o in overlays)
    title = escape(clean(f"{picture.title}: {picture.subtitle}"))
    return Markup(
        f'<svg xmlns="http://www.w3.org/2000/svg" role="img" aria-label="{title}" '
        f'viewBox="0 0 {width:.0f} {height:.0f}" width="{width:.0f}" height="{height:.0f}">{"".join(parts)}{letters}</svg>'
    )


_ALONE: Final = """
rect.faint{fill:#fbfcfd;stroke:#9aa5b1}rect.carries{fill:#e2f3f1;stroke:#0b7a75}rect.way{fill:#fdeceb;stroke:#b42318}
rect.touched{fill:#fdf1de;stroke:#a15c00}path.carries{stroke:#0b7a75;stroke-width:2.2}path.way{stroke:#b42318;stroke-width:3}
path.touched{stroke:#a15c00;stroke-width:1.8}.map .letter{fill:#fff;stroke:#0b7a75}
"""
"""What the page lays over a drawing by its own style, for a file that has the one question it was drawn for."""

_HEAD, _ROW, _SIGN = 40.0, 16.0, 28.0
_SMALL, _GAP = 7.0, 12.0


def alone(picture: Picture) -> bytes:
    """Returns the drawing as a file: with its title, what its signs mean, and a title on each box and line."""
    items: list[tuple[Tone | str, str]] = [*picture.legend, *picture.islands]
    longest = max((width_of(said, _SMALL) for _, said in items), default=0.0)
    wide = max(picture.width, 420.0) + 2 * _MARGIN
    columns = max(1, min(3, int((wide - 2 * _MARGIN) // (_SIGN + longest + _GAP))))
    high = picture.height + _HEAD + _ROW * (1 + -(-len(items) // columns)) + 2 * _MARGIN
    left = (wide - 2 * _MARGIN - picture.width) / 2
    drawn = [
        *(_line(line, n) for n, line in enumerate(picture.lines)),
        *(_box(b, n) for n, b in enumerate(picture.boxes)),
        *(_island(b) for b in picture.boxes if b.island),
    ]
    signs = (
        _sign(
            sign,
            said,
            _MARGIN + (wide - 2 * _MARGIN) / columns * (n % columns),
            high - _ROW * (-(-len(items) // columns) - n // columns),
        )
        for n, (sign, said) in enumerate(items)
    )
    head = (
        f'<text x="{_MARGIN:g}" y="20" font-size="12" font-weight="700">{escape(clean(picture.title))}</text>'
        f'<text x="{_MARGIN:g}" y="34" font-size="7.5">{escape(clean(picture.subtitle))}</text>'
    )
    text = (
        f'<svg xmlns="http://www.w3.org/2000/svg" class="map" viewBox="0 0 {wide:.0f} {high:.0f}" '
        f'width="{wide * 4 / 3:.0f}" height="{high * 4 / 3:.0f}"><style>{STYLE}{_ALONE}</style>'
        f'<rect width="100%" height="100%" style="fill:#fff;stroke:none"/>{head}'
        f'<g transform="translate({left:.1f} {_HEAD:g})">{"".join(drawn)}</g>{"".join(signs)}</svg>\n'
    )
    return text.encode()


def _sign(sign: Tone | str, said: str, x: float, y: float) -> str:
    words = f'<text x="{x + _SIGN:.1f}" y="{y + 2.5:.1f}" font-size="{_SMALL:g}">{escape(clean(said))}</text>'
    if isinstance(sign, Tone):
        return f'<path class="{sign.value}" d="M{x:.1f} {y:.1f}h22"/>{words}'
    return f'<text x="{x + 11:.1f}" y="{y + 3:.1f}" font-size="8" font-weight="700" text-anchor="middle">{escape(sign)}</text>{words}'


def _island(drawn: Drawn) -> str:
    """Returns the letter of the part that a box is on, at its corner, where no text is."""
    x, y = drawn.box.x + drawn.box.width + _MARGIN, drawn.box.y + 3 + _MARGIN
    return (
        f'<circle class="letter" cx="{x:.1f}" cy="{y - 3:.1f}" r="7"/>'
        f'<text x="{x:.1f}" y="{y:.1f}" font-size="9" font-weight="700" text-anchor="middle">{escape(drawn.island)}</text>'
    )


def rules(overlays: Sequence[Overlaid]) -> str:
    """Returns the style that lays a question over the drawing while it is picked."""
    return "".join(line for o in overlays for line in _rules(o))


def _rules(laid: Overlaid) -> Iterator[str]:
    on = f".pick:has(#o-{laid.key}:checked) .map"
    yield f"{on} path{{stroke:#c3cad2;stroke-width:.8;stroke-dasharray:none}}{on} rect{{fill:#fbfcfd;stroke:#c3cad2}}"
    yield f"{on} .loud{{fill:#52606d;font-weight:400}}"
    yield f"{on} .g-{laid.key}{{display:inline}}"
    for tone, numbers in laid.links:
        yield f"{on} :is({','.join(f'.l{n}' for n in numbers)}){{{_TONES[Tone(tone)]}}}"
    if laid.boxes:
        yield f"{on} :is({','.join(f'.b{n}' for n, _ in laid.boxes)}){{fill:#e2f3f1;stroke:#0b7a75}}"


def _letters(picture: Picture, laid: Overlaid) -> str:
    texts = []
    for n, letter in laid.boxes:
        if letter:
            box = picture.boxes[n].box
            x, y = box.x + box.width + _MARGIN, box.y + 3 + _MARGIN  # at the corner, where no text is
            texts.append(
                f'<circle cx="{x:.1f}" cy="{y - 3:.1f}" r="7" fill="#fff" stroke="#0b7a75"/>'
                f'<text x="{x:.1f}" y="{y:.1f}" font-size="9" font-weight="700" text-anchor="middle">{letter}</text>'
            )
    return f'<g class="ov g-{laid.key}">{"".join(texts)}</g>' if texts else ""


def _line(line: Line, number: int) -> str:
    points = [(x + _MARGIN, y + _MARGIN) for x, y in line.route.points]
    path = "M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in points)
    tone = "" if line.tone is Tone.PLAIN else f" {line.tone.value}"
    wide = f' stroke-width="{1 + min(line.count - 1, 3) * 0.8:.1f}"' if line.count > 1 else ""
    made = f'<path class="l{number}{tone}" d="{path}"{wide}><title>{escape(clean(line.title))}</title></path>'
    for end, label in ((line.route.a, line.a), (line.route.b, line.b)):
        if end is not None and label.text:
            made += _label(label, end.x + _MARGIN, end.y + _MARGIN, down=end.down)
    return made


def _label(label: Label, x: float, y: float, *, down: bool) -> str:
    loud = ' class="loud"' if label.tone in LOUD else ""
    anchor, at = ("end", y + 3) if down else ("start", y - 3)
    return (
        f'<text transform="translate({x + LABEL_SIZE + 0.6:.1f} {at:.1f}) rotate(-90)" font-size="{LABEL_SIZE:g}" '
        f'text-anchor="{anchor}"{loud}>{escape(clean(label.text))}</text>'
    )


def _box(box: Drawn, number: int) -> str:
    x, y, width, height = box.box.x + _MARGIN, box.box.y + _MARGIN, box.box.width, box.box.height
    dashed = ' stroke-dasharray="4 2"' if box.kind == "unmanaged" else ""
    corner = 8 if box.kind == "router" else 3
    tone = "" if box.tone is Tone.PLAIN else f" {box.tone.value}"
    at = y + PAD + TITLE_SIZE
    middle = x + width / 2
    lines = "".join(
        f'<text x="{middle:.1f}" y="{at + TEXT_SIZE * 1.25 * n:.1f}" font-size="{TEXT_SIZE:g}" text-anchor="middle">{escape(clean(t))}</text>'
        for n, t in enumerate(box.lines, 1)
    )
    return (
        f'<g><title>{escape(clean(box.title))}</title><rect class="b{number}{tone}" x="{x:.1f}" y="{y:.1f}" width="{width:.1f}" '
        f'height="{height:.1f}" rx="{corner}"{dashed}/><text x="{middle:.1f}" y="{at:.1f}" font-size="{TITLE_SIZE:g}" '
        f'font-weight="700" text-anchor="middle">{escape(clean(box.name))}</text>{lines}</g>'
    )
