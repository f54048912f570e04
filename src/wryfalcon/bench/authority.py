"""Who may have which key: what must be written down before one is read, by class.

Local law decides, and a shop may ask for more. The classes are common practice, no source: a key in the
hand on an open profile needs a glance, everything else (codes, records, locks without their key, restricted
profiles) a record of what was shown.
"""

from __future__ import annotations

from django.conf import settings

from wryfalcon.bench.models import OnBench, Tag
from wryfalcon.library.models import Blank, FamilyRecord

IN_HAND = frozenset({OnBench.WORN_KEY, OnBench.GOOD_KEY, OnBench.RETURNED_KEY})
"""Whoever asks holds the key."""

TO_BE_NOTED = "Write down under Take in what shows that they may have this key; then it can be read."


def needs_record(on_bench: str, *, is_restricted: bool) -> bool:
    """Whether what was shown must be written down before the key is read."""
    return is_restricted or on_bench not in IN_HAND or on_bench in settings.FULL_RECORD_ALSO


def why_not_made(tag: Tag) -> str:
    """Why no key may be read or made for a tag yet, whatever it is made from; "" where one may."""
    is_restricted = is_profile_restricted(tag.family_record, tag.blank)
    if needs_record(tag.on_bench, is_restricted=is_restricted) and not tag.authority.strip():
        return TO_BE_NOTED
    return ""


def is_profile_restricted(family: FamilyRecord | None, blank: Blank | None) -> bool:
    """Whether a key's profile is restricted: its family's, or where that is not known any that its blank serves."""
    if family is not None:
        return family.restricted
    return blank is not None and blank.families.filter(restricted=True).exists()
