"""Domains that no port of a campus tells apart: what is true of one is true of each, so that one stands for all."""

from __future__ import annotations

from collections.abc import Iterable

from inkov.kinds.relay import Domain, Mask
from inkov.model.vlanset import FULL_MASK


class Classes:
    """A partition of domains; two of one class are both in each set that it was made from, or both in none.

    To swap two of a class on every switch and in every tag changes no campus: whatever gets somewhere as one gets there
    as the other. A search that may start in either, or in neither, need follow but one.

    Attributes:
        few: one domain of each class.
    """

    def __init__(self, sets: Iterable[Mask]) -> None:
        """Makes the coarsest partition of some sets; untagged frames, as domain 0, are a class of their own."""
        self._single = 0
        self._classes: list[Mask] = []
        self._known: dict[Domain, Domain] = {}
        self._split({1, FULL_MASK, *sets})

    def _split(self, sets: Iterable[Mask]) -> None:
        """Splits the classes by some sets; what is in none yet is a class, too."""
        for mask in sets:
            whole = mask & ~self._single
            made: list[Mask] = []
            for one in self._classes:
                for part in (one & whole, one & ~whole):
                    if part & (part - 1):
                        made.append(part)
                    else:
                        self._single |= part
                whole &= ~one
            if whole & (whole - 1):
                made.append(whole)
            else:
                self._single |= whole
            self._classes = made
        self.few: Mask = self._single | sum(one & -one for one in self._classes)

    def refined(self, sets: Iterable[Mask]) -> Classes:
        """Returns the classes split further, by some more sets."""
        made = object.__new__(Classes)
        made._single, made._classes, made._known = self._single, list(self._classes), {}
        made._split(set(sets))
        return made

    def one_for(self, domain: Domain) -> Domain:
        """Returns the domain that stands for the class of one; itself where it is in no set."""
        if domain not in self._known:
            own = next((one for one in self._classes if one >> domain & 1), 1 << domain)
            self._known[domain] = (own & -own).bit_length() - 1
        return self._known[domain]

    def whole(self, domains: Mask) -> Mask:
        """Returns all domains of the classes of some."""
        return domains | sum(one for one in self._classes if one & domains)
