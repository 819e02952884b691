"""Audits the VLANs of a campus of switches, and proves that segments stay apart.

The names below are the public interface; everything prints nothing and raises `BadInput` for bad input.
"""

from __future__ import annotations

import importlib
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from inkov.api import audit, flood, load, prove
    from inkov.changes import drift, mend, rehearse
    from inkov.model.campus import Campus
    from inkov.model.errors import BadInput
    from inkov.proof.outcome import Broken, CannotTell, Proved, Verdict
    from inkov.rules.finding import Finding
    from inkov.views.tables import HeardRow

__version__ = "0.1.0"

__all__ = [
    "BadInput",
    "Broken",
    "Campus",
    "CannotTell",
    "Finding",
    "HeardRow",
    "Proved",
    "Verdict",
    "audit",
    "drift",
    "flood",
    "load",
    "mend",
    "prove",
    "rehearse",
]

_HOMES = {
    "BadInput": "inkov.model.errors",
    "Broken": "inkov.proof.outcome",
    "Campus": "inkov.model.campus",
    "CannotTell": "inkov.proof.outcome",
    "Finding": "inkov.rules.finding",
    "HeardRow": "inkov.views.tables",
    "Proved": "inkov.proof.outcome",
    "Verdict": "inkov.proof.outcome",
    **dict.fromkeys(("drift", "mend", "rehearse"), "inkov.changes"),
}


def __getattr__(name: str) -> Any:  # noqa: ANN401 - the names have many types
    """Imports a public name when it is first used, so that `inkov --version` stays quick."""
    if name not in __all__:
        raise AttributeError(f"module 'inkov' has no attribute {name!r}")
    return getattr(importlib.import_module(_HOMES.get(name, "inkov.api")), name)
