"""What a copy beside its pattern says, in a sentence."""

from __future__ import annotations

from keycore.proving.verdict import Verdict
from wryfalcon.keeping.tracing.queries import ComparedCopy

AGREED = {
    (Verdict.INSIDE, Verdict.INSIDE): "A good copy of a good key.",
    (Verdict.INSIDE, Verdict.OUTSIDE): "The machine copied faithfully, and with it the pattern’s wear. Cut the key to "
    "its factory depths instead.",
    (Verdict.OUTSIDE, Verdict.INSIDE): "The machine strayed from the pattern, by luck towards the factory depths. "
    "Trim it before the next key.",
    (Verdict.OUTSIDE, Verdict.OUTSIDE): "The machine strayed from the pattern, and the key is outside its depths. Trim "
    "it, then cut another.",
}


def verdict_words(copy: ComparedCopy) -> str:
    """Both verdicts in a sentence."""
    return AGREED.get((copy.copied.by_machine, copy.copied.as_key)) or (
        f"Between: {copy.times} measurements of each cut would settle it; nothing is touched before."
    )
