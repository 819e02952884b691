"""Mends each planted fault of the school, and of Quillfin, alone: which findings above tidy have a cure that is certain.

What is offered is applied, and the campus audited and proved again: findings cured must be gone, nothing at their severity
or worse new, no claim worse. Usage: python benchmarks/cures.py
"""

from __future__ import annotations

import sys
import tempfile
from collections import Counter, defaultdict
from collections.abc import Iterator
from pathlib import Path

from planted import own_boxes, variants
from school import school, write

import inkov
from inkov.change.mending import mended
from inkov.demo.station import as_found, faults
from inkov.model.campus import Campus
from inkov.rules.choice import identity
from inkov.rules.finding import Severity

ORDER = list(Severity)
RANKS = {"Proved": 0, "CannotTell": 1, "Broken": 2}


def campuses() -> Iterator[tuple[str, Campus]]:
    """Yields each campus with one fault, and its name."""
    with tempfile.TemporaryDirectory() as scratch:
        for i, variant in enumerate([*variants(), *own_boxes()]):
            planted = school()
            variant.plant(planted)
            folder = Path(scratch) / f"v{i}"
            write(planted, folder, campus=True)
            yield variant.name, inkov.load(folder)
        for fault in faults():
            folder = Path(scratch) / fault["name"]
            for name, text in as_found([fault["name"]]).items():
                (folder / name).parent.mkdir(parents=True, exist_ok=True)
                (folder / name).write_text(text, "utf-8")
            yield fault["name"], inkov.load(folder)


def harm(before: Campus, after: Campus, cured: set[tuple[str, str]], worst: int) -> str:
    """Says what a cure did that it must not; nothing where it did nothing such."""
    known = {identity(f) for f in inkov.audit(before)}
    found = inkov.audit(after)
    if still := [f for f in found if identity(f) in known and (f.rule, f.place) in cured]:
        return f"{still[0].rule} is still there"
    if new := [f for f in found if identity(f) not in known and ORDER.index(f.severity) <= worst]:
        return f"{new[0].rule} at {new[0].place} is new"
    for was, now in zip(inkov.prove(before), inkov.prove(after), strict=True):
        if RANKS[type(now.outcome).__name__] > RANKS[type(was.outcome).__name__]:
            return f"the claim {now.claim.name} is worse"
    return ""


def main() -> int:
    """Prints a row a rule: findings above tidy, and those with a cure."""
    table: dict[str, Counter[str]] = defaultdict(Counter)
    harmed = 0
    for name, campus in campuses():
        view, _, after = mended(campus)
        for some, what in ((view.cures, "cured"), (view.left, "left")):
            for row in some:
                if row.severity != "tidy":
                    table[row.rule][what] += 1
        cured = {(c.rule, c.place) for c in view.cures}
        worst = min((ORDER.index(Severity(c.severity)) for c in view.cures), default=-1)
        if view.cures and (wrong := harm(campus, after, cured, worst)):
            harmed += 1
            print(f"HARM  {name}: {wrong}")
    print("\nrule                    above tidy  cured")
    total: Counter[str] = Counter()
    for rule, n in sorted(table.items(), key=lambda item: -item[1].total()):
        total += n
        print(f"{rule:22}  {n.total():10}  {n['cured']:5}")
    print(
        f"{'all':22}  {total.total():10}  {total['cured']:5}   {100 * total['cured'] // total.total()} %, {harmed} with harm"
    )
    return 1 if harmed else 0


if __name__ == "__main__":
    sys.exit(main())
