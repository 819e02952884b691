"""The form of a certificate, for its JSON Schema. `docs/certificate.md` explains it."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from inkov.formats.ours.fields import Document
from inkov.formats.ours.validated import validated
from inkov.formats.ours.yamltext import Lines
from inkov.formats.reading import Reading


class ApartPart(Document):
    """The claim `apart` or `only`."""

    kind: Literal["apart", "only"]
    name: str
    segments: list[str]
    pairs: list[tuple[str, str]] = Field(description="The pairs that must be apart.")
    facing: Literal["honest", "hostile"]
    layers: list[Literal[2, 3]]
    through: list[str] = Field(description="Devices whose routing does not count.")


class TogetherPart(Document):
    """The claim `together`."""

    kind: Literal["together"]
    name: str
    segments: list[str]
    surviving: Literal[0, 1, 2]
    layers: list[Literal[2, 3]]


class TreePart(Document):
    """The hops from one place to all others."""

    from_: str = Field(description="Switch and domain it starts in.")
    hops: list[tuple[int, str, str, str, int]] = Field(
        description="Number of the state before, 0 for the start; port out; switch and port in; domain there."
    )


class NodePart(Document):
    """What holds after some failures."""

    trees: list[TreePart]
    open: list[str] = Field(description="Ports that a tree or pruning leaves open.")
    when: list[FailedPart] = []


class FailedPart(NodePart):
    """What holds when something more has failed."""

    failed: str = Field(description="A cable, or a switch.")


Set = dict[str, dict[str, dict[str, str]]]
"""Switch to port of arrival, `*` for what starts there, to tags inside, to domains as ranges."""


class ApartCertificate(Document):
    """Why segments do not meet: closed sets of frames."""

    inkov: Literal["certificate"]
    version: Literal[1]
    campus: str
    claim: ApartPart
    inputs: dict[str, str] = Field(description="File to its SHA-256 digest.")
    assumed: list[str]
    sets: dict[str, Set] = Field(
        description="'honest NAME', 'hostile NAME' or 'gateway [DEVICE, PORT, TAG]' to a closed set."
    )


class TogetherCertificate(NodePart):
    """Why segments are whole: trees of hops."""

    inkov: Literal["certificate"]
    version: Literal[1]
    campus: str
    claim: TogetherPart
    inputs: dict[str, str] = Field(description="File to its SHA-256 digest.")
    assumed: list[str]


def misformed(document: Any) -> str:
    """Says what in a document is not in the form of a certificate; empty when all is."""
    claim = document.get("claim") if isinstance(document, dict) else None
    together = isinstance(claim, dict) and claim.get("kind") == "together"
    reading = Reading("")
    validated(TogetherCertificate if together else ApartCertificate, document, Lines(), reading)
    return next(
        (f"this is not in the form of a certificate: {_at(p.source.path)}{p.what}" for p in reading.problems), ""
    )


def _at(path: str) -> str:
    return f"{path[:100]}: " if path else ""
