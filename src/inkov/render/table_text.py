"""Tables as text: links mirrored around a middle column, VLANs as a grid of glyphs, ports, floods."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.text import Text

from inkov.model import names
from inkov.render.page import WIDTH, spaced, table, words
from inkov.views.tables import FloodRow, HeardRow, LinkRow, PortRow, SyncRow, VlanCell, VlanRow

_GRID_MAX = 40


def links_text(rows: Sequence[LinkRow]) -> RenderableType:
    """Returns the links, one a row, both ends around the middle, and below what is lost and why."""
    wide = max((len(r.a) + len(r.b) for r in rows), default=0)
    stacked = wide > _ENDS_MAX
    body: list[tuple[RenderableType, ...]] = []
    for r in rows:
        style = "" if r.up and not r.lost and not r.leaks and not r.doubt else "bold magenta"
        line = Text("───" if r.up else "─ ─", style=style)
        facts = (
            _mirrored(r.form_a, r.form_b, style),
            _mirrored(_native(r.native_a), _native(r.native_b), style),
            words(shortened(r.carried) if r.up else "down"),
            Text(f"{r.carries} of {r.wanted}", style=style),
        )
        if stacked:
            body += [(Text.assemble(words(r.a), " ", line, " ", words(r.b)),), (_facts_line(facts),)]
        else:
            body.append((words(r.a), line, words(r.b), *facts))
    heads = ("one end", "", "other end", "forms", "native", "carries", "")
    made = Group(*(row[0] for row in body)) if stacked else table(heads, body, right=[6], whole=[0, 2, 4])
    legend = Text(
        "native: VLAN of untagged frames.  carries: VLANs that cross both ways, of those in use.", style="dim"
    )
    notes = [note for r in rows if (note := _notes(r)) is not None]
    return spaced([made, *notes, legend])


_LIST_MAX = 60
"""Characters of a VLAN list in a table; a longer one is cut in the middle, and JSON has it whole."""


def shortened(vlans: str) -> str:
    """Returns a VLAN list for a table, with blanks to wrap at; the middle of a long one is left out."""
    if len(vlans) <= _LIST_MAX:
        return vlans.replace(",", ", ")
    head, _, _ = vlans[: _LIST_MAX - 10].rpartition(",")
    return f"{head}, …, {vlans.rpartition(',')[2]}".replace(",", ", ").replace(",  ", ", ")


_ENDS_MAX = 40
"""Room for the names of both ends before a link takes two lines."""


def _facts_line(facts: Sequence[Text]) -> RenderableType:
    return Padding(Text("   ").join(facts), (0, 0, 0, 4))


def _mirrored(a: str, b: str, style: str) -> Text:
    """Returns two facts around a sign that says whether they are the same; styled only where the link is not well."""
    return Text(f"{a} = {b}") if a == b else Text(f"{a} | {b}", style=style)


def _native(vlan: int | None) -> str:
    return "-" if vlan is None else str(vlan)


def _notes(r: LinkRow) -> RenderableType | None:
    """Returns what is wrong with a link: a line a reason, with the setting to blame."""
    rows = [(words(f"{shortened(n.vlans)} lost", "bold"), words(n.reason), words(n.source, "cyan")) for n in r.lost]
    rows += [(words(shortened(k.vlans)), words(k.reason), words(k.source, "cyan")) for k in r.kept_off]
    rows += [(Text("leak", style="bold red"), words(leak), Text("")) for leak in r.leaks]
    ends = ((r.a, r.how_a), (r.b, r.how_b))
    rows += [(Text("formed", style="bold"), words(f"{end} {how}"), Text("")) for end, how in ends if how]
    if r.doubt:
        rows.append((Text("doubt", style="bold magenta"), words(r.doubt), Text("")))
    if not rows:
        return None
    made = table(("", "", ""), rows)
    made.show_header = False
    return Group(words(f"{r.a} - {r.b}"), Padding(made, (0, 0, 0, 2)))


def vlans_text(rows: Sequence[VlanRow]) -> RenderableType:
    """Returns one VLAN a row across all switches: a glyph a switch while they fit, else counts."""
    if not rows:
        return Text("no VLAN to show")
    switches = [c.switch for c in rows[0].cells]
    longest = max(len(_name(r)) for r in rows)
    fits = 0 < len(switches) <= min(_GRID_MAX, (WIDTH - longest - 30) // 2)
    heads = ["VLAN", "name", "ports", "islands"]
    body: list[list[Text]] = []
    for r in rows:
        split = r.islands > 1
        line = [
            Text(str(r.vlan), style="bold"),
            words(_name(r)),
            Text(str(r.members)),
            Text(str(r.islands), style="bold red" if split else ""),
        ]
        line.append(_glyphs(r) if fits else _counts(r))
        body.append(line)
    columns = " ".join(_mark(i) for i in range(len(switches))) if fits else "switches"
    made = table([*heads, columns], body, right=[0, 2, 3])
    if not fits:
        return spaced([made, *_split_notes(rows)])
    legend = Text.assemble(
        "● has ports in it   ○ relays it   · not defined   s suspended   × ports, but not relayed",
        "\nA B  ports, on separate islands   a b  relays it there",
    )
    legend.stylize("dim")
    return spaced([made, _columns(switches), *_split_notes(rows), legend])


def converged_text(changes: Sequence[SyncRow], after: Sequence[VlanRow]) -> RenderableType:
    """Returns what sync does to each switch's table, and the tables after it."""
    if not changes:
        return spaced([Text("no switch shares its VLAN table"), vlans_text(after)])
    body = [
        (
            words(r.switch),
            words(r.group),
            words(r.newest or r.unknown, "" if r.newest else "bold magenta"),
            words("-" if r.appear == "none" else shortened(r.appear)),
            words("-" if r.vanish == "none" else shortened(r.vanish), "bold"),
        )
        for r in changes
    ]
    made = table(("switch", "group", "takes the table of", "appear", "vanish"), body, whole=[0])
    return spaced([made, Text("After that:", style="bold"), vlans_text(after)])


def _name(row: VlanRow) -> str:
    return " / ".join(row.names) or "-"


def _mark(i: int) -> str:
    """Returns a one-character column head: 1-9, then letters."""
    return "123456789abcdefghijklmnopqrstuvwxyzABCDEFG"[i]


def _columns(switches: Sequence[str]) -> RenderableType:
    marked = [f"{_mark(i)} {name}" for i, name in enumerate(switches)]
    wide = max(map(len, marked)) + 3
    per_line = max(1, WIDTH // wide)
    lines = ["".join(m.ljust(wide) for m in marked[i : i + per_line]) for i in range(0, len(marked), per_line)]
    return Group(*(words(line.rstrip()) for line in lines))


def _glyphs(row: VlanRow) -> Text:
    made = Text()
    for i, cell in enumerate(row.cells):
        glyph, style = _glyph(cell, split=row.islands > 1)
        made.append(glyph, style=style).append(" " if i + 1 < len(row.cells) else "")
    return made


def _glyph(cell: VlanCell, *, split: bool) -> tuple[str, str]:
    if cell.state != "active":
        dead = "s" if cell.state == "suspended" else "·"
        return ("×", "bold red") if cell.members else (dead, "dim")
    if split and cell.island is not None and cell.island < 26:
        letter = chr(ord("A") + cell.island)
        return (letter, "bold red") if cell.members else (letter.lower(), "red")
    return ("●", "") if cell.members else ("○", "")


def _counts(row: VlanRow) -> Text:
    active = sum(c.state == "active" for c in row.cells)
    homes = sum(bool(c.members) for c in row.cells)
    dead = sum(c.state != "active" and bool(c.members) for c in row.cells)
    text = Text(f"{active} relay it, {homes} have ports")
    return text.append(f", {dead} of them do not relay it", style="bold red") if dead else text


def _split_notes(rows: Sequence[VlanRow]) -> list[RenderableType]:
    """Returns which switches each island of a split VLAN has ports on, a part a line."""
    lines: list[tuple[Text, ...]] = []
    for row in (r for r in rows if r.islands > 1):
        parts: dict[int, list[str]] = {}
        for cell in row.cells:
            if cell.island is not None and cell.members:
                parts.setdefault(cell.island, []).append(cell.switch)
        for n, (island, switches) in enumerate(sorted(parts.items())):
            letter = chr(ord("A") + island % 26)
            lines.append(
                (Text("" if n else str(row.vlan), style="bold"), Text(letter, "bold red"), words(", ".join(switches)))
            )
    return [table(("VLAN", "part", "ports on"), lines, right=[0])] if lines else []


def ports_text(rows: Sequence[PortRow]) -> RenderableType:
    """Returns ports, runs of like ones in one row."""
    body: list[tuple[Text, ...]] = []
    for first, last in _runs(rows):
        name = first.port if first is last else f"{first.port}-{last.port.partition(':')[2]}"
        off = "" if first.enabled else "off"
        native = "" if first.native is None else str(first.native)
        body.append(
            (
                words(name),
                words(first.mode),
                words(shortened(first.vlans)),
                Text(native),
                Text(off, style="bold"),
                words(first.faces),
                words(first.label, "dim"),
            )
        )
    names_fit = max((len(r.port) + len(r.faces) for r in rows), default=0) <= _ENDS_MAX
    heads = ("port", "mode", "VLANs", "native", "", "faces", "label")
    return table(heads, body, whole=[0, 5] if names_fit else [0])


def _runs(rows: Iterable[PortRow]) -> list[tuple[PortRow, PortRow]]:
    """Joins neighbouring rows that differ in nothing but the port."""
    runs: list[tuple[PortRow, PortRow]] = []
    for row in rows:
        if runs and _like(runs[-1][1], row):
            runs[-1] = (runs[-1][0], row)
        else:
            runs.append((row, row))
    return runs


def _like(a: PortRow, b: PortRow) -> bool:
    def shape(r: PortRow) -> tuple[object, ...]:
        return r.port.partition(":")[0], r.mode, r.vlans, r.native, r.enabled, r.faces, r.label

    return not a.faces and shape(a) == shape(b)


def flood_text(rows: Iterable[FloodRow]) -> RenderableType:
    """Returns who hears whom, one sending port a row."""
    body = []
    for row in rows:
        heard = ", ".join(_heard(row["heard"]))
        body.append((words(row["from"]), Text(str(len(row["heard"]))), words(heard or "nobody")))
    return table(("from", "heard at", "ports (tags as the frame leaves there)"), body, right=[1])


def _heard(heard: Iterable[HeardRow]) -> Iterator[str]:
    """Yields the hearers a switch at a time, runs of ports written short."""
    grouped: dict[tuple[str, str], list[str]] = {}
    for h in heard:
        switch, _, port = h.at.partition(":")
        grouped.setdefault((switch, _tags(h.tags)), []).append(port)
    for (switch, tags), ports in grouped.items():
        yield f"{switch}:{names.ports_text(ports)}{tags}"


def _tags(tags: tuple[int, ...]) -> str:
    return f" [{'.'.join(map(str, tags))}]" if tags else ""
