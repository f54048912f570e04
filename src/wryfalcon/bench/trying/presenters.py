"""A key of a trial sheet that a machine cuts, in words."""

from __future__ import annotations

from dataclasses import dataclass

from wryfalcon.bench.models import Piece, SheetEntry, Tag, TrialSheet
from wryfalcon.bench.setting_up.presenters import driven_machines
from wryfalcon.bench.trying.queries import SheetLeft, cut_words


@dataclass(frozen=True)
class TryOut:
    """A key that is out: which it is, and how far."""

    entry: SheetEntry
    labels: str
    piece: Piece | None
    says: str

    @property
    def is_made(self) -> bool:
        """Whether it can be tried in its lock."""
        return self.piece is not None and self.piece.is_made


def try_out(tag: Tag, entry: SheetEntry) -> TryOut:
    """What a sheet shows of the key that is out."""
    piece, labels = entry.piece, spelled(tag, entry)
    if piece is None:
        return TryOut(entry, labels, None, "To be cut: go through its card, then send it.")
    at = f" on {piece.machine}" if piece.machine is not None and not piece.is_made else ""
    return TryOut(entry, labels, piece, f"{piece.called.capitalize()}: {piece.get_state_display()}{at}.")


def spelled(tag: Tag, entry: SheetEntry) -> str:
    """The key of an entry as it is cut; of several tracks each after its name."""
    parts = entry.sheet.parts(entry.places)
    said = {name: " ".join(cut_words(tag.family.track(name), place) for place in part) for name, part in parts.items()}
    return ", ".join(said.values() if len(said) == 1 else (f"{name} {labels}" for name, labels in said.items()))


def try_words(tag: Tag) -> str:
    """What is cut for a trial sheet, for the stages that cut it; "" where nothing of one is."""
    if tag.settlement is not None or tag.to_cut is None:
        return ""
    entry = tag.to_cut.entries.filter(withdrawn=False).select_related("sheet").first()
    if entry is None:
        return ""
    return f"For the trial sheet: {try_out(tag, entry).labels} on blank {entry.blank}"


def can_send(tag: Tag, sheet: TrialSheet) -> bool:
    """Whether a try can be cut by a machine from here: nothing settled, every track, a kind that a machine cuts."""
    is_whole = len(tag.family.tracks) == 1 or sheet.is_of_all_tracks
    is_cut = tag.family.kind.cutting is not None and not tag.family.kind.is_filed and is_whole
    return is_cut and tag.settlement is None and bool(driven_machines())


def sheet_problem(left: SheetLeft) -> str:
    """Why no key is listed on a trial sheet, "" where one is."""
    if not left.is_read:
        return "Nothing is read yet."
    return f"{left.problem[0].upper()}{left.problem[1:]}: find out more before a blank is cut." if left.problem else ""
