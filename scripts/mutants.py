"""Changes the program in small ways, one at a time, and runs the tests that ought to notice.

`python scripts/mutants.py` takes the mutations named below; with file names it also flips comparisons and operators in
those files, one a line. What survives is printed, and the share that was killed.
"""

from __future__ import annotations

import ast
import subprocess
import sys
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parent.parent
SRC = ROOT / "src" / "inkov"


class Mutation(NamedTuple):
    """One change: in a file, one text for another, and the tests that must fail then."""

    name: str
    file: str
    before: str
    after: str
    tests: str


NAMED = (
    Mutation(
        "rung order: defined before listed",
        "forwarding/ladder.py",
        "            fail(~listed, Rung.LISTED, end, _at(plant.port(end), Setting.ALLOWED))\n",
        "",
        "tests/forwarding tests/rules",
    ),
    Mutation("pruning ignores the tree", "forwarding/pruning.py", "self.trees.allows(ref)", "-1", "tests/forwarding"),
    Mutation(
        "the default VLAN is not fixed when announcing",
        "forwarding/pruning.py",
        "port.registration.normal.mask | 1 << DEFAULT_VLAN",
        "port.registration.normal.mask",
        "tests/forwarding",
    ),
    Mutation(
        "an uneven link of different kinds is not blocked",
        "forwarding/trees.py",
        "return FULL_MASK\n        natives",
        "return 0\n        natives",
        "tests/forwarding",
    ),
    Mutation(
        "blocked by cost told as bridge identifier",
        "forwarding/election.py",
        "basis = Basis.COST\n        return Beaten(best",
        "basis = Basis.SENDER\n        return Beaten(best",
        "tests/forwarding",
    ),
    Mutation(
        "a port that only takes frames in counts as hearing",
        "proof/together.py",
        " or not group.all_hear",
        "",
        "tests/proof",
    ),
    Mutation(
        "frames that gathered too many tags count as gone",
        "forwarding/graph.py",
        "                    reach.cut = True\n",
        "                    pass\n",
        "tests/proof tests/forwarding",
    ),
    Mutation(
        "a gateway is up though its far end is dead",
        "forwarding/gateways.py",
        "if not any(k.up for k in links):",
        "if False:",
        "tests/forwarding tests/proof",
    ),
    Mutation(
        "a primary's gateway is deaf to secondaries",
        "forwarding/gateways.py",
        "if view is View.MAY:  # a primary's",
        "if False:  # a primary's",
        "tests/proof tests/recheck",
    ),
    Mutation(
        "an unstated sync generation is taken as 0",
        "forwarding/sync.py",
        "if len(members) > 1 and unstated:",
        "if False:",
        "tests/forwarding tests/rules",
    ),
    Mutation(
        "cannot tell is counted as survived",
        "proof/surviving.py",
        "if isinstance(outcome, CannotTell) and",
        "if False and",
        "tests/proof",
    ),
    Mutation(
        "a proof omits devices outside the campus",
        "proof/unknowns.py",
        "    if outside:\n",
        "    if False:\n",
        "tests/proof",
    ),
    Mutation(
        "tag-0 double tags are forgotten by the prover",
        "proof/hostile.py",
        "if takes_zero(network, ref, view):",
        "if False:",
        "tests/proof",
    ),
    Mutation(
        "tag-0 double tags are forgotten by the checker",
        "recheck/check.py",
        "if zero or whole:",
        "if whole:",
        "tests/recheck",
    ),
    Mutation(
        "a rule's sentence is nonsense",
        "rules/themes/lag.py",
        'what=f"The LAG does not form: {reason}."',
        'what="Nonsense."',
        "tests/rules",
    ),
    Mutation(
        "overlap is reported across routing tables",
        "rules/routed/gateway_subnets.py",
        "i.gateway.vrf != j.gateway.vrf",
        "False",
        "tests/rules",
    ),
    Mutation(
        "a suspended voice VLAN goes unreported",
        "rules/themes/voice.py",
        "not network.active(name) >> (s.voice or 0) & 1",
        "not network.defined(name) >> (s.voice or 0) & 1",
        "tests/rules",
    ),
    Mutation(
        "the severities of a wiping table are swapped",
        "rules/themes/sync.py",
        "Severity.OUTAGE if now else Severity.RISK",
        "Severity.RISK if now else Severity.OUTAGE",
        "tests/rules",
    ),
    Mutation(
        "a list that differs blames nothing",
        "rules/themes/lists.py",
        "causes=tuple(cause(end, Setting.ALLOWED) for end in missing)",
        "causes=()",
        "tests/rules",
    ),
)


def killed(mutation: Mutation) -> bool | None:
    """Tells whether some test fails under a mutation; None where its place is not found."""
    path = SRC / mutation.file
    original = path.read_text("utf-8")
    if mutation.before not in original:
        return None
    path.write_text(original.replace(mutation.before, mutation.after, 1), "utf-8")
    try:
        command = [
            sys.executable,
            "-m",
            "pytest",
            "-x",
            "-q",
            "-n",
            "2",
            "-p",
            "no:cacheprovider",
            *mutation.tests.split(),
        ]
        done = subprocess.run(command, cwd=ROOT, capture_output=True, check=False, timeout=1800)
    finally:
        path.write_text(original, "utf-8")
    return done.returncode != 0


FLIPS = {ast.Lt: "<=", ast.Gt: ">=", ast.Eq: "!=", ast.NotEq: "==", ast.In: "not in", ast.Is: "is not", ast.IsNot: "is"}


def flips(name: str) -> list[Mutation]:
    """Returns a mutation for each comparison in a file that stands on a line of its own with its operator."""
    text = (SRC / name).read_text("utf-8")
    made = []
    for node in ast.walk(ast.parse(text)):
        if isinstance(node, ast.Compare) and type(node.ops[0]) in FLIPS and len(node.ops) == 1:
            before = ast.get_source_segment(text, node) or ""
            left = ast.get_source_segment(text, node.left) or ""
            right = ast.get_source_segment(text, node.comparators[0]) or ""
            after = f"{left} {FLIPS[type(node.ops[0])]} {right}"
            if text.count(before) == 1:
                home = name.partition("/")[0]
                made.append(Mutation(f"{name}:{node.lineno} {after}", name, before, after, f"tests/{home}"))
    return made


def main() -> int:
    """Runs all mutations and prints what became of them."""
    mutations = [*NAMED, *(m for name in sys.argv[1:] for m in flips(name))]
    dead = 0
    for mutation in mutations:
        outcome = killed(mutation)
        dead += outcome is True
        print({True: "killed  ", False: "SURVIVED", None: "NO PLACE"}[outcome], mutation.name, flush=True)
    print(f"{dead} of {len(mutations)} killed ({100 * dead // len(mutations)} %)")
    return 0 if dead == len(mutations) else 1


if __name__ == "__main__":
    sys.exit(main())
