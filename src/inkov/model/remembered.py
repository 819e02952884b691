"""Answers of methods, worked out once for each object and arguments."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any, Concatenate, ParamSpec, TypeVar

S = TypeVar("S")
P = ParamSpec("P")
R = TypeVar("R")


def remembered(method: Callable[Concatenate[S, P], R]) -> Callable[Concatenate[S, P], R]:
    """Gives a method a memory: asked again with the same arguments, the same object answers what it answered.

    Arguments must hash. The memory is the object's own and goes when the object goes. The methods that a proof calls a million
    times keep memories written by hand, as a further call costs more than what they do.
    """
    name = f"_remembered_{method.__name__}"

    @wraps(method)
    def ask(self: S, *args: P.args, **kwargs: P.kwargs) -> R:
        own: dict[Any, R] = vars(self).setdefault(name, {})
        key = (args, tuple(kwargs.items())) if kwargs else args
        if key not in own:
            own[key] = method(self, *args, **kwargs)
        return own[key]

    return ask  # type: ignore[return-value]  # the same but for the name of `self`
