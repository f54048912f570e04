"""Results that take long to work out: kept, and worked out once however many ask at the same time."""

from __future__ import annotations

from collections.abc import Callable
from threading import Condition
from typing import ParamSpec, TypeVar, cast

from cachetools import LRUCache, cached

GivenT = ParamSpec("GivenT")
FoundT = TypeVar("FoundT")


def kept(most: int) -> Callable[[Callable[GivenT, FoundT]], Callable[GivenT, FoundT]]:
    """Keep the last so many results of a function of hashable arguments.

    As ``functools.lru_cache``, but threads that ask the same while it is being worked out wait for it:
    two pages of one tag, opened at once, otherwise each weigh its reading, and both are slower for it.

    >>> calls = []
    >>> @kept(8)
    ... def double(x):
    ...     calls.append(x)
    ...     return 2 * x
    >>> double(2), double(2), calls
    (4, 4, [2])
    """

    def decorate(function: Callable[GivenT, FoundT]) -> Callable[GivenT, FoundT]:
        return cast("Callable[GivenT, FoundT]", cached(LRUCache(most), condition=Condition())(function))

    return decorate
