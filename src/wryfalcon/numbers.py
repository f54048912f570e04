"""Figures that are no lengths, as the shop writes them."""

from __future__ import annotations


def thousands(number: int) -> str:
    r"""A large whole number with thin spaces.

    >>> thousands(2097152)
    '2\u202f097\u202f152'
    """
    return f"{number:,}".replace(",", "\u202f")
