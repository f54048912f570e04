"""The kinds of key, each a module of its own; nothing else in the house asks which kind it has before it.

A kind is brought in when a family of it is first met.
"""

from __future__ import annotations

from importlib import import_module

from keycore.errors import InputError
from keycore.kinds.interface import Kind

_MODULE_OF = {
    "edge": "edge",
    "double-edge": "double_edge",
    "side-milled": "side_milled",
    "dimple": "dimple",
    "tubular": "tubular",
    "rotary": "rotary",
    "lever": "lever",
}
_KINDS: dict[str, Kind] = {}


def kind_of(name: str) -> Kind:
    """The kind of that name. Raises InputError for one that there is not.

    >>> kind_of("edge").space.words
    'from the gauge'
    >>> kind_of("rotary").depth.unit_name
    '°'
    """
    if name not in _KINDS:
        if name not in _MODULE_OF:
            raise InputError("kind", f"there is no kind of key {name[:40]!r}")
        register(import_module(f"keycore.kinds.{_MODULE_OF[name]}").KIND)
    return _KINDS[name]


def register(kind: Kind) -> None:
    """Take a kind into the house: from now on ``kind_of`` finds it by its id. Raises nothing."""
    _KINDS[kind.id] = kind


def kinds() -> tuple[Kind, ...]:
    """Every kind there is, those that ship first. Raises nothing.

    >>> [str(kind) for kind in kinds()][:3]
    ['edge', 'double-edge', 'side-milled']
    """
    return tuple(kind_of(name) for name in {**_MODULE_OF, **_KINDS})
