"""Values as YAML that shows all it holds: what would turn or hide text is spelt out (YAML 1.2, 5.7)."""

from __future__ import annotations

from typing import Final

import yaml
from yaml.emitter import ScalarAnalysis

WIDE: Final = 1 << 20
"""A width at which no line is broken."""


class Dumper(yaml.SafeDumper):
    """Writes texts that hold characters which print nothing in double quotes, with these as escapes; and no aliases."""

    def ignore_aliases(self, data: object) -> bool:  # noqa: ARG002 - as the base class has it
        """Tells that each value is written where it stands."""
        return True

    def analyze_scalar(self, scalar: str) -> ScalarAnalysis:
        """Returns in which styles a text may be written."""
        found = super().analyze_scalar(scalar)
        if not scalar.isprintable():
            found.allow_flow_plain = found.allow_block_plain = found.allow_single_quoted = found.allow_block = False
        return found

    def write_double_quoted(self, text: str, split: bool = True) -> None:
        """Writes a text with escapes for all that is not printable ASCII, if some of it is not printable."""
        was, self.allow_unicode = self.allow_unicode, self.allow_unicode and text.isprintable()
        super().write_double_quoted(text, split)
        self.allow_unicode = was


def dumped(value: object, *, flow: bool | None = False, style: str | None = None, width: int = WIDE) -> str:
    """Returns a value as YAML, keys in their order.

    Args:
        value: mappings, lists, texts, numbers and booleans.
        flow: everything in braces; None for what is innermost alone.
        style: of scalars, '"' for quoted ones; as each needs it when left out.
        width: columns after which lines are broken.
    """
    return str(
        yaml.dump(
            value,
            Dumper=Dumper,
            sort_keys=False,
            allow_unicode=True,
            width=width,
            default_flow_style=flow,
            default_style=style,
        )
    )


def inline(value: object) -> str:
    """Returns a value as YAML has it inside of braces."""
    return dumped([value], flow=True)[1:-2]
