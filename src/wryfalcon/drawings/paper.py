"""What a key is drawn on: a desk's width with its bow, or a phone's, laid out anew rather than made small."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Paper:
    """The width of a drawing and where the blade lies on it, pixels."""

    width: float
    blade_left: float
    blade_right: float
    tallest: float  # that a blade may be drawn
    above: float  # room over a blade that a drawing of its end stands in
    figure: float  # what a figure and a gap take in its letters
    has_bow: bool

    @property
    def is_narrow(self) -> bool:
        """Whether it is a phone's."""
        return not self.has_bow


BOW_LEFT, BLADE_TOP = 22.0, 34.0
DESK = Paper(width=860.0, blade_left=226.0, blade_right=812.0, tallest=190.0, above=0.0, figure=40.0, has_bow=True)
PHONE = Paper(width=380.0, blade_left=32.0, blade_right=336.0, tallest=110.0, above=184.0, figure=42.0, has_bow=False)
PAPERS = {"desk": DESK, "phone": PHONE}
_LAID: ContextVar[Paper] = ContextVar("paper_laid", default=DESK)
"""As figures have the unit of whoever is looking; the desk's where nobody is."""


@contextmanager
def laid_on(paper: Paper) -> Iterator[None]:
    """Draw keys on this paper for as long as it lasts.

    >>> with laid_on(PHONE):
    ...     paper_laid().width
    380.0
    """
    before = _LAID.set(paper)
    try:
        yield
    finally:
        _LAID.reset(before)


def paper_laid() -> Paper:
    """The paper of whoever is looking."""
    return _LAID.get()
