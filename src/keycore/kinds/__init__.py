"""The kinds of key, each a module of its own; nothing else in the house asks which kind it has before it.

``keycore/kind.py`` says what a kind answers, and finds them.
"""

from keycore.kind import kind_of, kinds, register

SHIPPED = ("edge", "double-edge", "side-milled", "dimple", "tubular", "rotary", "lever")
"""Their ids; the module of each has its name."""

__all__ = ["SHIPPED", "kind_of", "kinds", "register"]
