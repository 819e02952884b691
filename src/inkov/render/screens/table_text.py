"""Tables as text: links mirrored around a middle column, VLANs as a grid of glyphs, ports, floods."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from inkov.forwarding.labels import BY_LABEL
from inkov.model import names
from inkov.render.page import WIDTH, clean, table, words
from inkov.render.rows import Cell, Column, Page, Shown, shortened
from inkov.render.text import Block, Stack, Text
from inkov.rules.wording import joined
from inkov.views.tables import FloodRow, HeardRow, LinkRow, PortRow, SyncRow, VlanCell, VlanRow

_GRID_MAX = 40


LINKS = (
    Column("a", "one end", whole=True),
    Column("line", "", whole=True),
    Column("b", "other end", whole=True),
    Column("forms", "forms"),
    Column("native", "native", whole=True),
    Column("carried", "carries", lists=True),
    Column("carries", "in use", whole=True),
    Column("state", "state"),
    Column("lost", "lost", shown=Shown.PIPE),
)


def links_page(rows: Sequence[LinkRow]) -> Page:
    """Returns the links, one a row, both ends around the middle; on a screen, below them what is lost and why."""
    body: list[tuple[Cell, ...]] = []
    for r in rows:
        style = "" if r.up and not r.lost and not r.leaks and not r.doubt else "bold magenta"
        body.append(
            (
                words(r.a),
                Text("───" if r.up else "─ ─", style),
                words(r.b),
                _mirrored(r.form_a, r.form_b, style),
                _mirrored(_native(r.native_a), _native(r.native_b), style),
                r.carried if r.up and r.wanted else "-",
                Text(f"{r.carries} of {r.wanted}" if r.wanted else "-", style),
                words(_state(r)),
                words(_lost(r)),
            )
        )
    legend = Text(
        "native: VLAN of untagged frames.  carries: VLANs that cross both ways.  in use: how many of those that the campus uses.",
        "dim",
    )
    notes = [note for r in rows if (note := _notes(r)) is not None]
    return Page(LINKS, body, after=[*notes, legend] if rows else (), nothing="no links")


def _lost(r: LinkRow) -> str:
    """Returns in one line what does not cross a link, and why."""
    reasons = [f"{n.vlans}: {n.reason}" for n in (*r.lost, *r.kept_off)]
    return "; ".join([*reasons, *(f"leak {leak}" for leak in r.leaks)]) or "-"


def _state(r: LinkRow) -> str:
    """Returns in a word or two what a link does today."""
    if not r.up:
        return "down"
    said = ["by labels alone"] if r.doubt == BY_LABEL else []
    if r.blocked != "none":
        said.insert(0, f"blocked by the tree for {r.blocked}" if r.carries else "blocked by the tree")
    return ", ".join(said) or ("not sure" if r.doubt else "up")


def _mirrored(a: str, b: str, style: str) -> Text:
    """Returns two facts around a sign that says whether they are the same; styled only where the link is not well."""
    return Text(a if a == "-" else f"{a} = {b}") if a == b else Text(f"{a} | {b}", style)


def _native(vlan: int | None) -> str:
    return "-" if vlan is None else str(vlan)


def _notes(r: LinkRow) -> Block | None:
    """Returns what is wrong with a link: a line a reason, with the setting to blame."""
    rows = [(words(f"{shortened(n.vlans)} lost", "bold"), words(n.reason), words(n.source, "cyan")) for n in r.lost]
    rows += [(words(shortened(k.vlans)), words(k.reason), words(k.source, "cyan")) for k in r.kept_off]
    rows += [(Text("leak", "bold red"), words(leak), Text("")) for leak in r.leaks]
    ends = ((r.a, r.how_a), (r.b, r.how_b))
    rows += [(Text("formed", "bold"), words(f"{end} {how}"), Text("")) for end, how in ends if how]
    if r.doubt:
        rows.append((Text("doubt", "bold magenta"), words(r.doubt), Text("")))
    if not rows:
        return None
    made = table(("", "", ""), rows, whole=[2])
    return Stack(words(f"{r.a} - {r.b}"), Stack(made, indent=2))


VLANS = (
    Column("vlan", "VLAN", right=True),
    Column("name", "name"),
    Column("ports", "ports", right=True),
    Column("islands", "islands", right=True),
)


def vlans_page(rows: Sequence[VlanRow], width: int = WIDTH) -> Page:
    """Returns one VLAN a row across all switches: on a screen a glyph a switch while they fit, else counts.

    Args:
        rows: the VLANs.
        width: columns of the screen.
    """
    switches = [c.switch for c in rows[0].cells] if rows else []
    longest = max((len(_name(r)) for r in rows), default=0)
    fits = 0 < len(switches) <= min(_GRID_MAX, (width - longest - 30) // 2)
    body: list[tuple[Cell, ...]] = []
    for r in rows:
        islands = Text(str(r.islands), "bold red" if r.islands > 1 else "")
        facts = (_glyphs(r), _relay(r), _homes(r), _deaf(r)) if fits else (_relay(r), _homes(r), _deaf(r))
        body.append((Text(str(r.vlan), "bold"), words(_name(r)), str(r.members), islands, *facts, words(_parts(r))))
    marks = " ".join(_mark(i) for i in range(len(switches))) if fits else ""
    shown = Shown.PIPE if fits else Shown.ALWAYS
    columns = [
        *VLANS,
        *([Column("grid", marks, whole=True, shown=Shown.SCREEN)] if fits else []),
        Column("relayed", "switches relay it", right=True, shown=shown),
        Column("homes", "have ports", right=True, shown=shown),
        Column("deaf", "have ports and do not relay it", right=True, shown=shown),
        Column("parts", "parts", shown=Shown.PIPE),
    ]
    after: list[Block] = [_columns(switches, width)] if fits else []
    after += _split_notes(rows)
    if fits:
        legend = "● has ports in it   ○ relays it   · not defined   s suspended   × ports, but not relayed"
        after.append(Text(f"{legend}\nA B  ports, on separate islands   a b  relays it there", "dim"))
    return Page(columns, body, after=after, nothing="no VLAN to show")


VLAN_PORTS = (
    Column("vlan", "VLAN", right=True),
    Column("name", "name"),
    Column("switch", "switch", whole=True),
    Column("state", "there"),
    Column("island", "island", right=True),
    Column("ports", "ports in it"),
)


def vlan_ports_page(rows: Iterable[VlanRow]) -> Page:
    """Returns the ports in each VLAN, a switch a row; switches that only relay it, or do not have it, have none."""
    body = [
        (
            Text(str(r.vlan), "bold"),
            words(_name(r)),
            words(c.switch),
            Text(c.state, "" if c.state == "active" else "bold red"),
            "-" if c.island is None else str(c.island + 1),
            words(names.ports_text(c.members)),
        )
        for r in rows
        for c in r.cells
        if c.members
    ]
    return Page(VLAN_PORTS, body, nothing="no port is in a VLAN")


def _relay(row: VlanRow) -> str:
    return str(sum(c.state == "active" for c in row.cells))


def _homes(row: VlanRow) -> str:
    return str(sum(bool(c.members) for c in row.cells))


def _deaf(row: VlanRow) -> Text:
    dead = sum(c.state != "active" and bool(c.members) for c in row.cells)
    return Text(str(dead), "bold red" if dead else "")


def _parts(row: VlanRow) -> str:
    """Returns the switches of each part of a split VLAN in one line; `-` for one that is whole."""
    if row.islands < 2:
        return "-"
    return " | ".join(f"{letter} {', '.join(switches)}" for letter, switches in _islands(row))


def _islands(row: VlanRow) -> Iterator[tuple[str, list[str]]]:
    """Yields the letter and the switches with ports of each part of a VLAN."""
    parts: dict[int, list[str]] = {}
    for cell in row.cells:
        if cell.island is not None and cell.members:
            parts.setdefault(cell.island, []).append(cell.switch)
    yield from ((chr(ord("A") + island % 26), switches) for island, switches in sorted(parts.items()))


SYNC = (
    Column("switch", "switch", whole=True),
    Column("group", "group"),
    Column("takes", "takes the table of"),
    Column("appear", "appear"),
    Column("vanish", "vanish"),
)


def converged_page(changes: Sequence[SyncRow], after: Sequence[VlanRow], width: int = WIDTH) -> Page:
    """Returns the tables as they are once sync has settled; on a screen, above them what it does to each switch's."""
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
    made = vlans_page(after, width)
    if not changes:
        made.before = [Text("no switch shares its VLAN table")]
    else:
        made.before = [table([c.head for c in SYNC], body, whole=[0]), Text("After that:", "bold")]
    return made


def _name(row: VlanRow) -> str:
    return " / ".join(row.names) or "-"


def _mark(i: int) -> str:
    """Returns a one-character column head: 1-9, then letters."""
    return "123456789abcdefghijklmnopqrstuvwxyzABCDEFG"[i]


def _columns(switches: Sequence[str], width: int) -> Block:
    marked = [f"{_mark(i)} {name}" for i, name in enumerate(switches)]
    wide = max(map(len, marked)) + 3
    per_line = max(1, width // wide)
    lines = ["".join(m.ljust(wide) for m in marked[i : i + per_line]) for i in range(0, len(marked), per_line)]
    return Stack(*(words(line.rstrip()) for line in lines))


def _glyphs(row: VlanRow) -> Text:
    made = Text()
    for i, cell in enumerate(row.cells):
        glyph, style = _glyph(cell, split=row.islands > 1)
        made.append(glyph, style).append(" " if i + 1 < len(row.cells) else "")
    return made


def _glyph(cell: VlanCell, *, split: bool) -> tuple[str, str]:
    if cell.state != "active":
        dead = "s" if cell.state == "suspended" else "·"
        return ("×", "bold red") if cell.members else (dead, "dim")
    if split and cell.island is not None and cell.island < 26:
        letter = chr(ord("A") + cell.island)
        return (letter, "bold red") if cell.members else (letter.lower(), "red")
    return ("●", "") if cell.members else ("○", "")


def _split_notes(rows: Sequence[VlanRow]) -> list[Block]:
    """Returns which switches each island of a split VLAN has ports on, a part a line."""
    lines = [
        (Text("" if n else str(row.vlan), "bold"), Text(letter, "bold red"), words(", ".join(switches)))
        for row in rows
        if row.islands > 1
        for n, (letter, switches) in enumerate(_islands(row))
    ]
    return [table(("VLAN", "part", "ports on"), lines, right=[0])] if lines else []


_PORTS = (
    Column("port", "port", whole=True),
    Column("mode", "mode"),
    Column("vlans", "VLANs", lists=True),
    Column("becomes", "becomes", lists=True),
    Column("stance", "stance"),
    Column("native", "native", right=True),
    Column("state", "state"),
    Column("faces", "faces"),
    Column("label", "label"),
    Column("where", "set at", whole=True, shown=Shown.ASKED),
)


def ports_page(rows: Sequence[PortRow]) -> Page:
    """Returns ports, each in a row; on a screen runs of like ones in one."""
    some = any(r.becomes for r in rows)  # hardly any campus negotiates: two columns less on the screen
    columns = [c if some or c.key not in {"becomes", "stance"} else c._replace(shown=Shown.PIPE) for c in _PORTS]
    return Page(
        columns,
        [_port(r, r) for r in rows],
        lambda: [_port(run[0], run[-1], run) for run in _runs(rows)],
        nothing="no ports",
    )


def _port(first: PortRow, last: PortRow, run: Sequence[PortRow] = ()) -> tuple[Cell, ...]:
    hosts = joined([h for row in run or [first] for h in row.hosts])
    name = first.port if first is last else f"{first.port}-{last.port.partition(':')[2]}"
    return (
        clean(name),
        clean(first.mode),
        first.vlans or "-",
        clean(first.becomes) or "-",
        clean(first.stance) or "-",
        "-" if first.native is None else str(first.native),
        "on" if first.enabled else _OFF,
        clean(first.faces or hosts) or "-",
        clean(first.label) or "-",
        clean(first.source),
    )


_OFF = Text("off", "bold")


def _runs(rows: Iterable[PortRow]) -> list[list[PortRow]]:
    """Joins neighbouring rows that differ in nothing but the port, and the hosts there."""
    runs: list[list[PortRow]] = []
    for row in rows:
        if runs and _like(runs[-1][-1], row):
            runs[-1].append(row)
        else:
            runs.append([row])
    return runs


def _like(a: PortRow, b: PortRow) -> bool:
    def shape(r: PortRow) -> tuple[object, ...]:
        return r.port.partition(":")[0], r.mode, r.vlans, r.becomes, r.stance, r.native, r.enabled, r.faces, r.label

    return not a.faces and shape(a) == shape(b)


FLOOD = (
    Column("from", "from", whole=True),
    Column("heard", "heard at", right=True),
    Column("ports", "ports (tags as the frame leaves there)"),
    Column("hosts", "hosts there"),
)


def flood_page(rows: Iterable[FloodRow]) -> Page:
    """Returns who hears whom: ports whose frames are heard alike in one row, however many hear them."""
    body = [
        (
            words(", ".join(_grouped(row["from"]))),
            str(_others(row)),
            words(", ".join(_heard(row["heard"])) or "nobody"),
            words(", ".join(row["hosts"]) or "-"),
        )
        for row in rows
    ]
    return Page(FLOOD, body, nothing="no port hears anything")


def _others(row: FloodRow) -> int:
    """Returns how many ports hear a sender, besides itself."""
    return len(row["heard"]) - any(h.at in row["from"] for h in row["heard"])


def _grouped(refs: Iterable[str]) -> Iterator[str]:
    by_switch: dict[str, list[str]] = {}
    for ref in refs:
        switch, _, port = ref.partition(":")
        by_switch.setdefault(switch, []).append(port)
    yield from (f"{switch}:{names.ports_text(ports)}" for switch, ports in by_switch.items())


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
