"""A key of ours that came back, in words: how it was made, and what became of its machine since."""

from __future__ import annotations

from django.utils import timezone

from wryfalcon.bench.tags.come_back import MadeThen


def made_then_words(made: MadeThen) -> str:
    """Where, when and with what it was made, the last trim, and what was done to the machine since."""
    parts = [f"{made.piece.called.capitalize()} of tag {made.piece.tag}, {_made(made)}", *_since(made)]
    return ". ".join(parts) + "."


def _made(made: MadeThen) -> str:
    assert made.piece.finished_at is not None
    at = timezone.localtime(made.piece.finished_at)
    days = f"{made.days} day{'' if made.days == 1 else 's'} before it came back"
    wheel = f", wheel {made.cutter}" if made.cutter is not None else ""
    who = f", by {made.piece.maker}" if made.piece.maker is not None else ""
    return f"{made.piece.made_where} on {at:%d %b}{wheel}{who}, {days}"


def _since(made: MadeThen) -> list[str]:
    if made.machine is None:
        return []
    done = [work.done for work in made.done_since]
    if made.cutter is not None and made.fitted is not None and made.fitted.pk != made.cutter.pk:
        done.append(f"it has {made.fitted} fitted now")
    trimmed = f"Last trimmed {timezone.localtime(made.trimmed_at):%d %b}" if made.trimmed_at else "Never trimmed here"
    return [trimmed, f"Since the key was made: {', '.join(done)}" if done else "Nothing was done to it since"]
