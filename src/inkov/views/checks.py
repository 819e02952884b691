"""What came of checking a certificate, as plain data."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from inkov.model.campus import Campus
from inkov.recheck.check import Checked, check


@dataclass(frozen=True, slots=True)
class CheckedRow:
    """A certificate: its claim, whether it is accepted, and if not why.

    `rests_on` is what an accepted one takes for granted; `changed` are the files that differ from those it was made of.
    `checked` is the claim that was checked, in full; `claim` is no more than its title.
    """

    certificate: str
    claim: str
    kind: str
    segments: tuple[str, ...]
    accepted: bool
    reasons: tuple[str, ...]
    rests_on: tuple[str, ...]
    changed: tuple[str, ...]
    checked: str = ""


def checked_row(
    name: str,
    document: Any,  # noqa: ANN401 - foreign data
    campus: Campus,
    known: Mapping[str, str],
    misformed: str = "",
) -> CheckedRow:
    """Checks one certificate.

    Args:
        name: its file.
        document: the decoded JSON.
        campus: what it is checked against.
        known: file to digest of that campus.
        misformed: what in it is not in the form; nothing else of it is looked at then.
    """
    result = Checked(reasons=[misformed]) if misformed else check(campus, document)
    claim, inputs = (_mapping(document, key) for key in ("claim", "inputs"))
    names = claim.get("segments")
    return CheckedRow(
        certificate=name,
        claim=str(claim.get("name", "")),
        kind=str(claim.get("kind", "")),
        segments=tuple(map(str, names)) if isinstance(names, list) else (),
        accepted=not result.reasons,
        reasons=tuple(result.reasons),
        rests_on=tuple(dict.fromkeys(result.rests_on)) if not result.reasons else (),
        checked=result.claim,
        changed=tuple(sorted(n for n in {*known, *inputs} if known.get(n) != inputs.get(n))),
    )


def _mapping(document: Any, key: str) -> Mapping[str, Any]:  # noqa: ANN401 - foreign data
    value = document.get(key) if isinstance(document, dict) else None
    return value if isinstance(value, dict) else {}
