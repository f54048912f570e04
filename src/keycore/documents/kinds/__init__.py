"""What the documents of a kind of key have of their own, each kind in a module of its own where it has anything.

A kind without a part has the fields that every family has, and its plans answer what every plan does.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING, Any

from keycore.documents.models.family import FamilyModel
from keycore.documents.models.plan import PlanModel
from keycore.tools import Tool, Wheel

if TYPE_CHECKING:
    from keycore.cutting.plan import Plan, TrackPlan

_MODULE_OF = {
    "edge": "edge", "double-edge": "edge", "tubular": "tubular", "rotary": "rotary", "side-milled": "side_milled",
    "dimple": "dimple", "lever": "lever",
}  # fmt: skip
_PARTS: dict[str, DocumentPart] = {}


def _wheel_of(model: Any) -> Tool | None:
    return Wheel(model.cut.flat, model.cut.angle) if model.cut else None


def _cutter_of(model: Any) -> Tool | None:
    return Wheel(model.cutter.flat, model.cutter.angle) if model.cutter else None


def _nothing_own(model: Any) -> Any:
    return None


def _nothing_more(planned: TrackPlan) -> dict[str, Any]:
    return {}


def _nothing_of_it(plan: Plan) -> dict[str, Any]:
    return {}


@dataclass(frozen=True, slots=True)
class LockField:
    """One thing to measure of a lock without a table: a length or several, or how many; millimetres."""

    name: str
    words: str
    is_many: bool = False
    is_optional: bool = False
    is_count: bool = False
    usual: str = ""  # what stands there until something else is typed


@dataclass(frozen=True, slots=True)
class LockForm:
    """How a lock of a kind that lies on the bench becomes a family of one.

    ``build`` takes an id, a name, the blank's code and what was measured by field, each a tuple of millimetres, empty
    where an optional field was left; it returns a family document and raises InputError naming the field.
    """

    fields: tuple[LockField, ...]
    build: Callable[[str, str, str, Mapping[str, tuple[float, ...]]], dict[str, Any]]


@dataclass(frozen=True)
class DocumentPart:
    """How a kind's families and plans are read, and what its plans answer beside what all do.

    ``track_tool`` and ``plan_tool`` read the tool of a checked track and of a checked plan, None without one;
    ``track_own`` and ``family_own`` what else only that kind has.
    """

    family: type[FamilyModel] = FamilyModel
    plan: type[PlanModel] = PlanModel
    track_tool: Callable[[Any], Tool | None] = _wheel_of
    plan_tool: Callable[[Any], Tool | None] = _cutter_of
    track_own: Callable[[Any], Any] = _nothing_own
    family_own: Callable[[Any], Any] = _nothing_own
    track_answer: Callable[[TrackPlan], dict[str, Any]] = _nothing_more
    plan_answer: Callable[[Plan], dict[str, Any]] = _nothing_of_it
    tells_clampings: bool = True
    lock: LockForm | None = None


PLAIN = DocumentPart()


def part_of(kind: Any) -> DocumentPart:
    """The part of the kind of that name; the plain one for any other thing that a document may name. Raises nothing."""
    if not isinstance(kind, str):
        return PLAIN
    if kind not in _PARTS and kind in _MODULE_OF:
        register(kind, import_module(f"keycore.documents.kinds.{_MODULE_OF[kind]}").PART)
    return _PARTS.get(kind, PLAIN)


def parts() -> tuple[DocumentPart, ...]:
    """The parts of every kind that has one. Raises nothing."""
    return tuple(part_of(kind) for kind in _MODULE_OF)


def lock_forms() -> tuple[LockForm, ...]:
    """Of every kind whose locks can be measured on the bench. Raises nothing."""
    return tuple(part.lock for part in parts() if part.lock is not None)


def register(kind: str, part: DocumentPart) -> None:
    """Take a kind's part into the house. Raises nothing."""
    _PARTS[kind] = part
