"""What a wheel's keys and test cuts say of it, in words."""

from __future__ import annotations

from keycore.machines.wheel import WheelVerdict


def verdict_words(verdict: WheelVerdict) -> str:
    """What to do with a wheel."""
    reasons = "; ".join(verdict.reasons)
    return {
        "keep": "Keep it: nothing speaks against it.",
        "look": f"Look at it: {reasons}. Measure it by a test cut.",
        "change": f"Change it: {reasons}.",
    }[verdict.advice]
