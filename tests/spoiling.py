"""Files of every format, and three ways to change one of them: less of it, a value that cannot be, and a value told twice, differently."""

import json
import re

import writers

CAMPUS = "inkov: campus\nname: x\nswitches-are: {'*': {registration: off}}\n"
DEFAULTED = {
    "enabled",
    "trunk-vlans",
    "status",
    "vlan_mode",
    "trunks",
    "acceptable-frame",
    "enable-ingress-filtering",
    "pvid",
}
"""Leaves that have a default in their model, or without which a list means everything."""


def leaves(node, path=(), *, every=False):
    """Yields the path of each leaf of a document; not of what has a default, unless every one is asked for."""
    items = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
    for key, value in items:
        here = (*path, key)
        if (
            isinstance(value, dict | list)
            and value
            and not (isinstance(value, list) and not isinstance(value[0], dict | list))
        ):
            yield from leaves(value, here, every=every)
        elif isinstance(key, str) and (every or key.rpartition(":")[2] not in DEFAULTED):
            yield here


def without(document, path):
    made = json.loads(json.dumps(document))
    node = made
    for key in path[:-1]:
        node = node[key]
    del node[path[-1]]
    return made


def spoilt_json(write, rng, box):
    """Puts something into a leaf that cannot stand there."""
    document = json.loads(write(box))
    path = rng.choice(list(leaves(document, every=True)))
    if rng.random() < 0.3:
        path = path[: rng.randrange(1, len(path) + 1)]  # what holds it
    node = document
    for key in path[:-1]:
        node = node[key]
    value = writers.junk(node[path[-1]], rng)
    node[path[-1]] = {} if path[-1] == "vids" else value  # a number would do for a list of VLANs
    return json.dumps(document), f"{'/'.join(map(str, path))} is {node[path[-1]]!r}"


def spoilt_line(write, rng, box):
    lines = write(box).splitlines(keepends=True)
    n = rng.choice([n for n, line in enumerate(lines) if NAMES not in line])
    sign = "|" if "|" in lines[n] else " = "
    oid, _, rest = lines[n].partition(sign)
    octets = rest.startswith(("Hex", "STRING", "4"))
    places = "1.3.6.1.2.1.17.1.4.1.2."  # which interface a port is: any number stands for one
    out = () if places in oid else ("99999",)
    typed = (
        ("INTEGER: -7", "OID: .1.3")
        if octets
        else ('STRING: "junk"', "Hex-STRING: 00", "INTEGER: junk", *(f"INTEGER: {n}" for n in out))
    )
    lines[n] = (
        f"{oid}{sign}{rng.choice(typed if sign == ' = ' else ('2|7',) if octets else ('4|junk', '2|junk', *(f'2|{n}' for n in out)))}\n"
    )
    return "".join(lines), f"{lines[n].strip()} was {rest.strip()}"


def spoilt_cell(write, rng, box):
    tables = [json.loads(line) for line in write(box).splitlines()]
    table = rng.choice([t for t in tables if t["data"]])
    row = rng.choice(table["data"])
    n = rng.randrange(len(row))
    row[n] = writers.junk(str(row[n]) if isinstance(row[n], int) else row[n], rng)
    return "".join(json.dumps(t) + "\n" for t in tables), f"{table['caption']}: {table['headings'][n]} is {row[n]!r}"


def another(value, rng):
    """Returns a value of the same type that may stand in its place; None where there is none at hand."""
    if isinstance(value, bool):
        return not value
    if isinstance(value, list):
        return [another(value[0], rng)] if value and type(value[0]) is int else None
    return rng.choice([v for v in (1, 10, 20, 30, 40) if v != value]) if isinstance(value, int) else None


def at(node, path):
    for key in path:
        node = node[key]
    return node


KEYS = {"name", "vlan-id", "vid", "vids", "port-ref", "port-number", "id", "index"}


def twice_json(write, rng, box):
    """Lists an entry of a list once more, with another value of one leaf."""
    document = json.loads(write(box))
    paths = [p for p in leaves(document, every=True) if p[-1] not in KEYS and another(at(document, p), rng) is not None]
    path = rng.choice([p for p in paths if any(type(k) is int for k in p)])
    where = max(n for n, key in enumerate(path) if type(key) is int)
    entry = json.loads(json.dumps(at(document, path[: where + 1])))
    at(entry, path[where + 1 : -1])[path[-1]] = another(at(entry, path[where + 1 :]), rng)
    at(document, path[:where]).insert(rng.choice((path[where], path[where] + 1)), entry)
    return json.dumps(document), "/".join(map(str, path)) + " is told twice"


def twice_line(write, rng, box):
    lines = write(box).splitlines(keepends=True)
    numbers = re.compile(
        r"(?<=INTEGER: )\d+$|(?<=Gauge32: )\d+$|(?<=STRING: )[0-9A-F]{2}|(?<=\|2\|)\d+$|(?<=\|4x\|)[0-9a-fA-F]{2}",
        re.MULTILINE,
    )
    n = rng.choice([n for n, line in enumerate(lines) if numbers.search(line)])
    changed = numbers.sub(lambda m: rng.choice([v for v in ("10", "20", "60", "01", "02") if v != m[0]]), lines[n])
    lines.insert(rng.choice((n, n + 1, len(lines))), changed)
    return "".join(lines), f"{changed.strip()} besides {lines[n].strip()}"


def twice_row(write, rng, box):
    tables = [json.loads(line) for line in write(box).splitlines()]
    table = next(t for t in tables if "Port" in t["caption"])
    row = list(rng.choice(table["data"]))
    n = rng.choice(
        [n for n, value in enumerate(row) if another(value, rng) is not None] or [table["headings"].index("tag")]
    )
    row[n] = another(row[n], rng) or 10
    table["data"].insert(rng.choice((0, len(table["data"]))), row)
    return "".join(json.dumps(t) + "\n" for t in tables), f"a second row has {table['headings'][n]} {row[n]}"


def of_json(write, rng, box):
    document = json.loads(write(box))
    some = [p for p in leaves(document) if "config" in p or "state" in p or "bridge-port" in str(p)]
    path = rng.choice(some)
    return json.dumps(without(document, path)), "/".join(map(str, path))


NAMES = "1.3.6.1.2.1.31.1.1.1.1."
"""By what they are called, ports are told from each other; one that has another name is another port for its neighbours."""


def of_lines(write, rng, box):
    lines = write(box).splitlines(keepends=True)
    n = rng.choice([n for n, line in enumerate(lines) if NAMES not in line])
    return "".join(lines[:n] + lines[n + 1 :]), lines[n].strip()


def of_tables(write, rng, box):
    """Takes a column off a table of a database dump."""
    tables = [json.loads(line) for line in write(box).splitlines()]
    table = rng.choice(tables)
    n = rng.randrange(len(table["headings"]))
    taken = f"{table['caption']}: {table['headings'][n]}"
    for row in (table["headings"], *table["data"]):
        del row[n]
    return "".join(json.dumps(t) + "\n" for t in tables), taken


FORMATS = {
    "ovsdb.json": (writers.ovsdb, of_tables, True),
    "oc.json": (writers.openconfig_json, of_json, True),
    "ieee.json": (writers.ieee_json, of_json, False),
    "walk.txt": (writers.walk, of_lines, False),
    "rec": (writers.record, of_lines, False),
}


WAYS = {
    "taken": {},
    "spoilt": {of_tables: spoilt_cell, of_json: spoilt_json, of_lines: spoilt_line},
    "told twice": {of_tables: twice_row, of_json: twice_json, of_lines: twice_line},
}


def site(rng, suffix):
    """Returns bridges, the files that tell of them, and claims of all their VLANs."""
    write, _, plain = FORMATS[suffix]
    boxes = writers.random_boxes(rng, plain=plain)
    files = {f"{box.name}.{suffix}": write(box) for box in boxes} | {"campus.yaml": CAMPUS}
    if suffix in {"ieee.json", "ovsdb.json"}:
        files |= {f"{box.name}.lldp.json": writers.lldp(box) for box in boxes if box.heard}
    vids = sorted({v for b in boxes for v in b.vlans})
    claims = [*(f"apart {a} {b} layer 2" for a in vids for b in vids if a < b), *(f"together {v}" for v in vids)]
    return boxes, files, claims


def changed(suffix, how, rng, box):
    """Returns the file of a bridge, changed in one of the ways, and what was changed."""
    write, take, _ = FORMATS[suffix]
    return WAYS[how].get(take, take)(write, rng, box)
