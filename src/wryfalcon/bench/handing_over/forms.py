"""What is said as the keys are given back."""

from __future__ import annotations

from wryfalcon.fields import Said, WordField


class CloseForm(Said):
    """Why a tag is closed before every key is proven."""

    reason = WordField()
