"""Figures that are no lengths, as the shop writes them."""

from __future__ import annotations

from secrets import choice


def thousands(number: int) -> str:
    r"""A large whole number with thin spaces.

    >>> thousands(2097152)
    '2\u202f097\u202f152'
    """
    return f"{number:,}".replace(",", "\u202f")


def times_words(times: float) -> str:
    """How many times better something explains what was seen.

    >>> times_words(340.2), times_words(1e9)
    ('340', 'over 1000')
    """
    return "over 1000" if times > 1000 else f"{times:.0f}"


def whole_number(text: str | None) -> int:
    """A number from a form or an address, 0 when it is none: nine plain digits at most.

    >>> whole_number("12"), whole_number(None), whole_number("٣"), whole_number("9" * 5_000)
    (12, 0, 0, 0)
    """
    return int(text) if text and text.isascii() and text.isdecimal() and len(text) < 10 else 0


PLAIN = "23456789abcdefghjkmnpqrstuvwxyz"
"""Nothing that is misread when it is read aloud."""


def plain_word(length: int) -> str:
    """A random word of so many plain letters and digits."""
    return "".join(choice(PLAIN) for _ in range(length))
