"""The last revisions of a campus, read one after the other."""

from __future__ import annotations

from typing import TYPE_CHECKING

from inkov.change.history import State
from inkov.cli.output import Progress
from inkov.model.errors import BadInput

if TYPE_CHECKING:
    from inkov.formats.parsed import Shared


def states(site: str, last: int) -> list[State]:
    """Returns the last revisions of a folder or file in git, the oldest first; what cannot be read is one without a campus.

    Raises:
        BadInput: it is in no repository, or git is missing.
    """
    from inkov import api
    from inkov.formats.revision import folder_of, log

    found: list[State] = []
    shared: Shared = {}
    revisions = log(site, last)
    progress = Progress("reading", "revisions")
    for n, (name, date, subject) in enumerate(revisions, 1):
        try:
            with folder_of(name, like=site) as folder:
                found.append(State(name, date, subject, api.load(folder, strict=False, shared=shared)))
        except BadInput as exc:
            found.append(State(name, date, subject, None, str(exc.problems[0].what)))
        progress(n, len(revisions))
    return found
