"""Writes the part of docs/formats.md that the tables of the readers give: what is followed, and what may change where frames go."""

from collections.abc import Iterator
from pathlib import Path
from typing import Final

from inkov.formats.ieee import unfollowed as ieee
from inkov.formats.openconfig import leaves as openconfig
from inkov.formats.ovsdb import unfollowed as ovsdb
from inkov.formats.snmp import accounts as snmp
from inkov.model.source import Touches

PAGE: Final = Path(__file__).parents[1] / "docs" / "formats.md"
MARK: Final = "## What the readers account for\n"

EFFECTS: Final = {
    Touches.FRAMES: "where frames go",
    Touches.PACKETS: "where packets go",
    Touches.ADDRESSES: "which addresses are where",
    Touches.STOPS: "only what is stopped",
    Touches.GUARDS: "only what is stopped, if something strikes",
}


def account() -> str:
    """Returns the part of the page, from its heading on."""
    return MARK + "\n" + "\n".join(_lines()) + "\n"


def _lines() -> Iterator[str]:
    yield "What a source states is *followed*, has *no effect* on where frames and packets go, or *touches*: it may change that, and no"
    yield "proof rests on what it may change ([what is not known](unknown.md)). What stands in no table touches. This list is written by"
    yield "`python scripts/formats_page.py` from the tables that the readers use."
    settled, below = sorted(openconfig.LEAVES), sorted(f"{path}/*" for path in openconfig.BELOW)
    rows = [(path, effect, values) for path, (effect, values) in openconfig.TOUCHING.items()]
    yield from _section("OpenConfig", f"{len(settled)} paths and {len(below)} subtrees are settled, {len(rows)} touch")
    yield from _touching((path, EFFECTS[effect], ", ".join(map(_spelt, inert))) for path, effect, inert in rows)
    yield from _folded("Followed, without effect, or only stopping", [*settled, *below])
    known = sorted(f"{path}/{leaf}" for path, some in ieee.KNOWN.items() for leaf in some)
    kinds = sorted((path, EFFECTS[Touches.FRAMES], kind) for path, kind in ieee.OF_CUSTOMERS.items())
    yield from _section(
        "IEEE 802.1Q", f"{len(known)} leaves and containers are settled; all others touch where frames go"
    )
    yield from _touching(kinds)
    yield from _folded("Followed, or without effect", known)
    quiet = {oid for oid, row in snmp.ACCOUNTS.items() if row is None}
    yield from _section("SNMP", f"{len(quiet)} subtrees are without effect, {len(snmp.ACCOUNTS) - len(quiet)} touch")
    named = {oid: row for oid, row in snmp.ACCOUNTS.items() if row is not None}
    yield from _touching((f"{name} ({oid})", EFFECTS[effect], "") for oid, (name, effect) in named.items())
    columns = sorted(f"{table}/{column}" for table, some in ovsdb.FOLLOWED.items() for column in some)
    yield from _section("OVSDB", f"{len(columns)} columns are settled; all others touch where frames go")
    yield from _folded("Followed, without effect, or only stopping", columns)


def _section(name: str, says: str) -> Iterator[str]:
    yield from ("", f"### {name}", "", f"{says[0].upper()}{says[1:]}.")


def _touching(rows: Iterator[tuple[str, str, str]] | list[tuple[str, str, str]]) -> Iterator[str]:
    yield from ("", "| touches | what it may change | not when it is |", "| --- | --- | --- |")
    yield from (f"| `{path}` | {effect} | {inert} |" for path, effect, inert in sorted(rows))


def _folded(title: str, paths: list[str]) -> Iterator[str]:
    yield from ("", f"{title}:", "", "```text", *paths, "```")


def _spelt(value: object) -> str:
    return f"`{value}`" if value not in ("", None) else "empty"


if __name__ == "__main__":
    text = PAGE.read_text("utf-8")
    PAGE.write_text(text.partition(MARK)[0].rstrip("\n") + "\n\n" + account(), "utf-8")
