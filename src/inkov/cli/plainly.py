"""Values of the command line that need no library to be understood.

The library that Typer converts values with takes longer to import than a small audit takes, and almost every value is a
text, a path or a word of a list, as typed, or the default.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from enum import Enum
from pathlib import Path
from typing import Any, get_args, get_origin


class _Plainly:
    """Converts values for one parameter: by itself where that is plain, by the library for all else, errors above all."""

    def __init__(self, described: Any, library: Callable[[], Any]) -> None:  # noqa: ANN401 - Typer's own types are private
        self.kind, self.info = described.annotation, described.parameter_info
        self.library = library

    def coerce(self, value: Any, param: Any, ctx: Any) -> Any:  # noqa: ANN401 - called by Typer, by these names
        if value is None:
            return () if param.multiple or param.nargs == -1 else None
        found = self._whole(value) if self.info.parser is None else None
        return self.library().coerce(value, param=param, ctx=ctx) if found is None else found

    def _whole(self, value: Any) -> Any:  # noqa: ANN401 - of the parameter's kind
        """Returns a value, or a list of values, of the parameter's kind; None where the library must look at it."""
        if get_origin(self.kind) is not list:
            return self._plain(self.kind, value)
        (kind,) = get_args(self.kind)
        found = [self._plain(kind, v) for v in value] if isinstance(value, list | tuple) else [None]
        return None if None in found else found

    def _plain(self, kind: Any, value: Any) -> Any:  # noqa: ANN401 - of that kind
        if not isinstance(kind, type):
            return None
        if issubclass(kind, Enum):
            return next((word for word in kind if value is word or value == word.value), None)
        if issubclass(kind, Path) and isinstance(value, str | Path):
            checked = self.info.exists or self.info.writable or self.info.resolve_path or self.info.allow_dash
            unasked = self.info.file_okay and self.info.dir_okay and self.info.path_type is None and not checked
            return Path(value) if unasked and (os.access(value, os.R_OK) or not os.path.lexists(value)) else None
        if kind is float and type(value) is int:  # as below
            return float(value)
        return value if type(value) is kind else None  # a text that is meant, or a default: what is typed is text


class TakesPlainly:
    """A command whose parameters take plain values by themselves; with a Typer that does not ask them, as it always was."""

    def get_params(self, ctx: Any) -> list[Any]:  # noqa: ANN401 - Typer's own types are private
        """Returns the parameters of the command, that of its help among them."""
        params: list[Any] = super().get_params(ctx)  # type: ignore[misc]  # of the class that this is mixed with
        for param in params:
            library = getattr(param, "get_runtime_param", None)
            if library is not None and hasattr(param, "type_descriptor") and "get_runtime_param" not in vars(param):
                param.get_runtime_param = lambda own=_Plainly(param.type_descriptor, library): own
            if getattr(param, "is_flag", False):
                param.display_type_rich = lambda ctx: None  # noqa: ARG005 - help names no type of what takes no value
        return params
