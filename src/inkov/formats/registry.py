"""Every format that is read, in the order in which a file is tried; what sentences say of formats comes from here."""

from __future__ import annotations

from inkov.formats import exports, ours
from inkov.formats.format import MEGABYTE, Format
from inkov.formats.text import utf8

FORMATS = (
    Format(
        "Inkov switch files",
        frozenset({".yaml", ".yml"}),
        4 * MEGABYTE,
        ours.recognise,
        ours.read,
        ours.edit,
    ),
    Format("OpenConfig JSON", frozenset({".json"}), 64 * MEGABYTE, exports.recognise, exports.read, exports.edit),
)
ENDINGS = frozenset[str]().union(*(f.endings for f in FORMATS))
MOST = max(f.most for f in FORMATS)
EXPECTED = f"{', '.join(f.name for f in FORMATS[:-1])} or {FORMATS[-1].name}"
"""The names of all formats, as a sentence lists them."""


def format_of(data: bytes) -> Format | None:
    """Returns the format of a file by its content; None when it is none of them."""
    content = utf8(data)
    return next((f for f in FORMATS if f.recognise(content)), None)
