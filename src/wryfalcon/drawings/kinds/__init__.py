"""How each kind of key is drawn: a record of functions in a module of its own, found here by the kind's id.

A kind without a drawing is read with the strip alone.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module

from keycore.cutting.commands import Move
from keycore.family import Family
from keycore.geometry.shape import Shape
from keycore.kind import Kind
from wryfalcon.drawings.sheet import Sheet

_MODULE_OF = {
    "edge": "edge", "double-edge": "edge", "tubular": "tubular", "rotary": "rotary", "side-milled": "side_milled",
    "dimple": "dimple", "lever": "lever",
}  # fmt: skip
_DRAWINGS: dict[str, KeyLook] = {}


@dataclass(frozen=True)
class Extras:
    """What a kind draws beside its main view: paths by what they are, and words, in pixels."""

    paths: tuple[tuple[str, str], ...] = ()  # class, path
    texts: tuple[tuple[float, float, str], ...] = ()


@dataclass(frozen=True)
class ViewWords:
    """What stands at a drawing: at its gauge, over its count, at its far end."""

    gauge: str
    counted: str
    far: str


def _no_extras(sheet: Sheet, shape: Shape | None) -> Extras:
    return Extras()


def _no_marks(sheet: Sheet, shape: Shape | None) -> tuple[tuple[str, str], ...]:
    return ()


@dataclass(frozen=True)
class KeyLook:
    """What the keys of one kind look like on a sheet.

    ``outline`` the path of the metal that a shape leaves, or of the bare blank; ``bow`` the path of what is held;
    ``tool_at`` where the tool stands when a move is done so far (0 to 1), in pixels.
    """

    outline: Callable[[Sheet, Shape | None], str]
    bow: Callable[[Sheet], str]
    tool_at: Callable[[Sheet, Move, float], tuple[float, float]]
    seen: str  # how it lies on the sheet, in words; {face} stands for the face that is looked at
    has_hole: bool = True  # in its bow
    extras: Callable[[Sheet, Shape | None], Extras] = _no_extras
    marks: Callable[[Sheet, Shape | None], tuple[tuple[str, str], ...]] = _no_marks  # cut into what is looked at
    words: ViewWords | None = None  # where they are not those of a blade
    counting: Callable[[Family, str], Extras] | None = None  # how a track is counted from either end, as a picture


FACE_WORDS = {"front": "front face", "back": "back face", "top": "upper edge", "bottom": "lower edge"}


def look_of(kind: Kind) -> KeyLook | None:
    """How a kind is drawn, None for one that is not."""
    if kind.id not in _DRAWINGS and kind.id in _MODULE_OF:
        register(kind.id, import_module(f"wryfalcon.drawings.kinds.{_MODULE_OF[kind.id]}").LOOK)
    return _DRAWINGS.get(kind.id)


def register(kind: str, look: KeyLook) -> None:
    """Take a kind's drawing into the house."""
    _DRAWINGS[kind] = look


def is_drawable(family: Family) -> bool:
    """Whether a family's keys can be drawn to scale here: on a blank of known size, of a kind with a drawing."""
    return look_of(family.kind) is not None and family.kind.view_size(family) is not None


def counting_of(family: Family, track: str) -> Extras | None:
    """How a track is counted from either end, as a picture; None for a kind that needs none."""
    look = look_of(family.kind)
    return look.counting(family, track) if look is not None and look.counting is not None else None


def drawn_as(family: Family) -> KeyLook:
    """How a family that can be drawn is drawn."""
    look = look_of(family.kind)
    assert look is not None, family.kind
    return look
