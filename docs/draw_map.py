"""The map of the house, drawn from the imports of its code: ``./falcon map`` writes docs/house.svg.

Rooms stand in the order of the import contract in pyproject.toml; an arrow says that something in the upper room brings
in something of the lower one. Only the shape is drawn, no counts, so that it changes when the house does.
"""

from __future__ import annotations

import ast
import sys
import tomllib
from collections.abc import Iterator
from pathlib import Path
from xml.sax.saxutils import escape

HERE = Path(__file__).resolve().parent
SOURCE, PICTURE = HERE.parent / "src", HERE / "house.svg"
WORDS = {
    "demonstration": "an invented shop", "records": "find, papers, make again",
    "editions": "what waits, what it touches",
    "keeping": "trims, courses, wheels, why",
    "bench": "tags, take in to hand over", "machines": "drivers, orders, the follower", "codes": "code series",
    "library": "families and blanks", "drawings": "from shapes to SVG", "log": "who did and saw what",
    "accounts": "people and what they may",
    "documents": "JSON in and out", "proving": "errors, causes, the lock", "machines (core)": "trims, drift, wheels",
    "codes (core)": "series, orders of trial", "reading": "from evidence to a bitting", "cutting": "plans and moves",
    "kinds": "edge, double-edge, …", "geometry": "profiles and shapes", "family": "nouns: family, tool, unit",
}  # fmt: skip
WIDE, HIGH, GAP, LEFT, RIGHT, TOP = 250, 44, 26, 90, 610, 40


def rooms_of(package: str) -> list[str]:
    """The rooms of a package from the top down, as its import contract has them; single modules are left out."""
    contracts = tomllib.loads((HERE.parent / "pyproject.toml").read_text())["tool"]["importlinter"]["contracts"]
    every = (contract["layers"] for contract in contracts if contract["type"] == "layers")
    layers = next(layers for layers in every if layers[0].startswith(f"{package}."))
    rooms = [room.strip().removeprefix(f"{package}.") for layer in layers for room in layer.split("|")]
    return [room for room in rooms if (SOURCE / package / room).is_dir()]


def imports(folder: Path) -> Iterator[str]:
    """Every module that something in a folder brings in."""
    for path in sorted(folder.rglob("*.py")):
        if "migrations" in path.parts:
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom) and node.module:
                yield node.module
            elif isinstance(node, ast.Import):
                yield from (name.name for name in node.names)


def arrows(package: str, rooms: list[str]) -> list[tuple[str, str]]:
    """Which room of a package brings in which."""
    found = set()
    for room in rooms:
        for module in imports(SOURCE / package / room):
            parts = module.split(".")
            if parts[0] == package and len(parts) > 1 and parts[1] in rooms and parts[1] != room:
                found.add((room, parts[1]))
    return sorted(found)


def draw() -> str:
    """The picture as SVG."""
    columns = [("wryfalcon", rooms_of("wryfalcon"), LEFT), ("keycore", rooms_of("keycore"), RIGHT)]
    high = TOP + max(len(rooms) for _, rooms, _ in columns) * (HIGH + GAP) + 20
    drawn = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 960 {high}" font-family="sans-serif" font-size="14">',
        f'<rect width="960" height="{high}" fill="#f5f0e4"/>',
        '<defs><marker id="to" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" '
        'orient="auto"><path d="M0 0 L8 4 L0 8 Z" fill="#7a5200"/></marker></defs>',
    ]
    for package, rooms, left in columns:
        drawn.append(f'<text x="{left}" y="{TOP - 14}" font-weight="bold" fill="#1d2630">src/{package}</text>')
        for upper, lower in arrows(package, rooms):
            drawn.append(_arrow(left, rooms.index(upper), rooms.index(lower)))
        for place, room in enumerate(rooms):
            drawn += _room(left, place, room, WORDS.get(f"{room} (core)", "") if package == "keycore" else "")
    drawn.append(_across(high))
    return "\n".join([*drawn, "</svg>", ""])


def _room(left: int, place: int, room: str, words: str) -> list[str]:
    y = TOP + place * (HIGH + GAP)
    return [
        f'<rect x="{left}" y="{y}" width="{WIDE}" height="{HIGH}" rx="5" fill="#ecd9ae" stroke="#7a5200"/>',
        f'<text x="{left + 12}" y="{y + 18}" font-weight="bold" fill="#1d2630">{room}/</text>',
        f'<text x="{left + 12}" y="{y + 36}" font-size="12" fill="#4a4a40">{escape(words or WORDS[room])}</text>',
    ]


def _arrow(left: int, upper: int, lower: int) -> str:
    """Down on the right of the rooms, further out the further it goes; up, which no contract allows, on their left."""
    far, down = abs(lower - upper), lower > upper
    side = left + WIDE if down else left
    out = side + (10 + 9 * far) * (1 if down else -1)
    y1, y2 = (TOP + place * (HIGH + GAP) + HIGH / 2 for place in (upper, lower))
    colour = "#7a5200" if down else "#a3261e"
    return (
        f'<path d="M{side} {y1 + 6} C{out} {y1 + 6} {out} {y2 - 6} {side} {y2 - 6}" fill="none" stroke="{colour}" '
        'stroke-opacity="0.55" marker-end="url(#to)"/>'
    )


def _across(high: int) -> str:
    return (
        f'<text x="{LEFT}" y="{high - 14}" font-size="12" fill="#4a4a40">Every room may use the core; the core knows '
        "nothing of the rooms. src/benchmachine stands apart, reached through its protocol.</text>"
    )


if __name__ == "__main__":
    if "--check" in sys.argv:
        sys.exit(0 if PICTURE.read_text() == draw() else "docs/house.svg is stale: ./falcon map draws it anew")
    PICTURE.write_text(draw())
