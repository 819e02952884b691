"""The report as one page: no reference leads out of it, a strict policy lets nothing else in, and it works without script."""

from __future__ import annotations

import base64
import hashlib
import re
from functools import lru_cache
from importlib.resources import files
from typing import Final

import orjson
from jinja2 import Environment, FunctionLoader, StrictUndefined
from markupsafe import Markup, escape

from inkov.handover import Handover, SwitchPage
from inkov.render import map_svg, trend_svg
from inkov.render.jsondoc import document
from inkov.render.page import clean, plural
from inkov.views.tables import PortRow

_PLAIN: Final = re.compile(r"[A-Za-z0-9._-]{1,80}\Z")
_UNSAFE: Final = {ord("<"): "\\u003c", ord(">"): "\\u003e", ord("&"): "\\u0026", 0x2028: "\\u2028", 0x2029: "\\u2029"}


def html(report: Handover) -> str:
    """Returns the report as HTML; the same report gives the same text."""
    style = _file("style.css") + trend_svg.STYLE + map_svg.STYLE + map_svg.rules(report.overlays)
    script = _file("script.js")
    policy = f"default-src 'none'; style-src '{_hash(style)}'; script-src '{_hash(script)}'; base-uri 'none'; form-action 'none'"
    environment = Environment(
        autoescape=True, loader=FunctionLoader(_file), undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    environment.filters |= {"c": clean, "plural": plural, "anchor": anchor, "slug": _slug}
    return environment.get_template("report.html.j2").render(
        r=report,
        style=Markup(style),
        script=Markup(script),
        policy=Markup(policy),
        svg=map_svg.svg(report.picture, report.overlays),
        trend=trend_svg.svg(report.trend) if report.trend else "",
        data=Markup(_json(document("audit", report.audit))),
        panel=_panel,
        rows=_port_rows,
    )


@lru_cache
def _file(name: str) -> str:
    return (files("inkov.render") / "report" / name).read_text("utf-8")


def _hash(text: str) -> str:
    return f"sha256-{base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()}"


def _json(text: str) -> str:
    """Returns JSON that no page takes for markup, in one line."""
    return orjson.dumps(orjson.loads(text)).decode().translate(_UNSAFE)


@lru_cache(maxsize=65536)
def anchor(text: str, prefix: str) -> str:
    """Returns an anchor for a name that stays the same from run to run."""
    if _PLAIN.match(text):
        return f"{prefix}-{text}"
    return f"{prefix}-{hashlib.sha256(text.encode('utf-8', 'surrogatepass')).hexdigest()[:12]}"


def _slug(text: str) -> str:
    return text.replace("/", "-").replace(" ", "-")


# -- ports: a campus has a hundred thousand, so they are joined, not laid out --------------------------

_safe = lru_cache(maxsize=65536)(lambda text: str(escape(clean(text))))


def _kind(port: PortRow) -> str:
    if not port.enabled:
        return "off"
    word = port.mode.partition(" ")[0]
    return {"member": "trunk", "not": "unknown"}.get(word, word)


def _panel(page: SwitchPage) -> Markup:
    """Returns the front of a device: a cell a port, with what it carries in words, not in colour alone."""
    cells = []
    for port in page.ports:
        name = port.port.partition(":")[2]
        what = "off" if not port.enabled else port.vlans or port.mode
        title = f"{name}: {port.mode} {port.vlans}{' to ' + port.faces if port.faces else ''}{' · ' + port.label if port.label else ''}"
        cells.append(f'<li class="{_kind(port)}" title="{_safe(title)}"><b>{_safe(name)}</b>{_safe(what[:22])}</li>')
    return Markup("".join(cells))


def _port_rows(page: SwitchPage) -> Markup:
    rows = []
    for port in page.ports:
        cells = (port.port.partition(":")[2], port.mode, port.vlans, "" if port.native is None else str(port.native))
        more = ("on" if port.enabled else "off", port.faces, port.label, port.source)
        rows.append("<tr>" + "".join(f"<td>{_safe(cell)}</td>" for cell in (*cells, *more)) + "</tr>")
    return Markup("".join(rows))
