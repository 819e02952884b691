"""The tables of an SNMP walk: rows by their numbers, and what is known of interfaces and bridge ports."""

from __future__ import annotations

from collections import defaultdict

from inkov.formats.reading import MAX_TEXT, Reading
from inkov.formats.snmp.objects import OF_NOW, RANGES
from inkov.formats.snmp.oids import Cell, Index, Run, Trouble
from inkov.formats.snmp.record import is_record, record_rows
from inkov.formats.snmp.text import walk_rows
from inkov.model.source import Touches

Table = dict[Index, Cell]


class Tables:
    """The tables of a walk.

    Attributes:
        tables: rows of each object by their numbers.
        trouble: what shows that the walk is not whole.
        cut: some of its tables may go on where it ends.
        names: name of each interface by its number.
        ifindex_of: number of the interface of each bridge port.
        unplaced: it tells of bridge ports and not of all of them which interface each is.
        untold: what the walk does not say, in words.
    """

    def __init__(self, data: bytes, reading: Reading) -> None:
        self.reading = reading
        self.trouble: list[Trouble] = []
        self.tables: dict[str, Table] = defaultdict(dict)
        touched: dict[str, Touches] = {}
        for run in (record_rows if is_record(data) else walk_rows)(data, self.trouble, touched):
            self._take(run)
        self._out_of_range()
        for held, touches in touched.items():
            reading.touch(f"/{held}", touches, held)
        self.cut = any(not t.what.startswith("the device has no") for t in self.trouble)
        self.names = self._interface_names()
        self.ifindex_of = {i[0]: int(port) for i, (port, _) in self.tables["dot1dBasePortIfIndex"].items()}
        bridged = {i[0] for i in (*self.tables["dot1qPvid"], *self.tables["dot1qPortIngressFiltering"])}
        self.unplaced = bool(self.ifindex_of) and not bridged <= self.ifindex_of.keys()
        self.untold: list[str] = []

    def _take(self, run: Run) -> None:
        """Takes some cells; records those that were there before with another value."""
        table, cells = self.tables[run.thing.name], list(run.cells)
        fresh = dict(cells)
        if len(fresh) < len(cells) or (table and not fresh.keys().isdisjoint(table)):
            for index, (value, line) in cells:
                first, at = table.setdefault(index, (value, line))
                if first != value and run.thing.name in OF_NOW:
                    table[index] = value, line
                elif first != value:
                    row = ".".join(map(str, index))
                    self.reading.wrong(f"line {at} gives it another value", f"/{run.thing.name}.{row}", line)
        else:
            table.update(fresh)

    def _out_of_range(self) -> None:
        """Takes out numbers that stand for nothing, and records each."""
        for name, (least, most) in RANGES.items():
            cells = self.tables.get(name, {})
            for index, (value, line) in list(cells.items()):
                if isinstance(value, int) and not least <= value <= most:
                    row = ".".join(map(str, index))
                    self.reading.wrong(f"{value} is not a number from {least} to {most}", f"/{name}.{row}", line)
                    del cells[index]

    def text(self, name: str, index: Index = (0,)) -> str:
        """Returns a text, cut where no device would have let it grow further; empty without one."""
        cell = self.tables[name].get(index) if name in self.tables else None
        return str(cell[0])[:MAX_TEXT] if cell is not None else ""

    def number(self, name: str, index: Index = (0,)) -> int | None:
        """Returns a number; None without one."""
        cell = self.tables[name].get(index) if name in self.tables else None
        return int(cell[0]) if cell is not None and not isinstance(cell[0], bytes) else None

    def octets(self, name: str, index: Index = (0,)) -> bytes | None:
        """Returns octets; None without any."""
        cell = self.tables[name].get(index) if name in self.tables else None
        return cell[0] if cell is not None and isinstance(cell[0], bytes) else None

    def line(self, name: str, index: Index = (0,)) -> int | None:
        """Returns the line of a value; None without one."""
        cell = self.tables[name].get(index) if name in self.tables else None
        return cell[1] if cell is not None else None

    @property
    def name(self) -> str:
        """What the device calls itself; empty when the walk does not say."""
        return (self.text("sysName") or self.text("lldpLocSysName")).strip()

    def _interface_names(self) -> dict[int, str]:
        found: dict[int, str] = {}
        taken: set[str] = set()
        for table in ("ifName", "ifDescr"):
            for index in self.tables[table]:
                name = self.text(table, index)
                if index[0] not in found and name and name not in taken:
                    found[index[0]] = name
                    taken.add(name)
        return found
