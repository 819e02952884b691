"""The drawing inside of a page: compact SVG whose boxes and lines have numbers, so that the page's style lays questions over it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Final

from markupsafe import Markup, escape

from inkov.drawing.picture import LABEL_SIZE, PAD, TEXT_SIZE, TITLE_SIZE, Drawn, Label, Line, Picture, Tone
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
    loud = ' class="loud"' if label.tone in {Tone.LOST, Tone.WAY} else ""
    anchor, at = ("end", y + 3) if down else ("start", y - 3)
    return (
        f'<text transform="translate({x + LABEL_SIZE + 0.6:.1f} {at:.1f}) rotate(-90)" font-size="{LABEL_SIZE:g}" '
        f'text-anchor="{anchor}"{loud}>{escape(clean(label.text))}</text>'
    )


def _box(box: Drawn, number: int) -> str:
    x, y, width, height = box.box.x + _MARGIN, box.box.y + _MARGIN, box.box.width, box.box.height
    dashed = ' stroke-dasharray="4 2"' if box.kind == "unmanaged" else ""
    corner = 8 if box.kind == "router" else 3
    at = y + PAD + TITLE_SIZE
    middle = x + width / 2
    lines = "".join(
        f'<text x="{middle:.1f}" y="{at + TEXT_SIZE * 1.25 * n:.1f}" font-size="{TEXT_SIZE:g}" text-anchor="middle">{escape(clean(t))}</text>'
        for n, t in enumerate(box.lines, 1)
    )
    return (
        f'<g><title>{escape(clean(box.title))}</title><rect class="b{number}" x="{x:.1f}" y="{y:.1f}" width="{width:.1f}" '
        f'height="{height:.1f}" rx="{corner}"{dashed}/><text x="{middle:.1f}" y="{at:.1f}" font-size="{TITLE_SIZE:g}" '
        f'font-weight="700" text-anchor="middle">{escape(clean(box.name))}</text>{lines}</g>'
    )
