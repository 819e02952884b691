"""What most of some switches agree on."""

from __future__ import annotations

from collections import Counter
from collections.abc import Hashable, Iterable, Mapping
from itertools import chain
from typing import NamedTuple, TypeVar

from inkov.rules.registry import Facts

Name = TypeVar("Name", bound=Hashable)


class Agreed(NamedTuple):
    """What siblings have: the value, how many have it, and how many say anything."""

    value: str
    agreeing: int
    all: int


class Majority(NamedTuple):
    """When some switches agree: how many must, and what percentage."""

    agreeing: int
    most: int

    @classmethod
    def of(cls, facts: Facts, rule_name: str) -> Majority:
        """Returns what the options of a rule say."""
        return cls(facts.option(rule_name, "agreeing"), facts.option(rule_name, "most"))

    def among(self, family: int) -> Majority:
        """Returns when switches of a family of some size agree: of three, the two others."""
        return Majority(2, min(self.most, 66)) if family == 3 else self


def agreed(said: Iterable[Mapping[Name, str]], majority: Majority) -> dict[Name, Agreed]:
    """Returns what most of some switches have, of what each has by name; names on which they do not agree are left out."""
    counted = Counter(chain.from_iterable(settings.items() for settings in said))
    all_: Counter[Name] = Counter()
    for (name, _), n in counted.items():
        all_[name] += n
    return {
        name: Agreed(value, n, all_[name])
        for (name, value), n in counted.items()
        if n >= majority.agreeing and 100 * n >= majority.most * all_[name]
    }
