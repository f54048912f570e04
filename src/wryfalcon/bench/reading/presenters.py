"""How each way of looking is shown on Read: its panel, what is gone through, and what its marks on the strip mean."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from wryfalcon.bench.models import SourceKind

MEASURED = ("Hollow mark: as measured, whiskers: where it lies 19 times in 20", "Solid mark: wear allowed for")
LOOKED = ("Bar: flush", "Cross: not flush", "Arrow: deeper than this")
STATED = ("Diamond: stated",)


@dataclass(frozen=True, kw_only=True)
class Way:
    """One row: what a template needs to know of a way of looking."""

    panel: str
    legend: tuple[str, ...] = ()  # of its own marks on the strip
    each: str = "cut"  # what is gone through one after another
    one_by_one: bool = False  # an entry takes one value; others take several at once
    is_of_key: bool = True  # what is typed is what the key has; else the key is worked out beside it
    may_be_odd_first: bool = False  # its tool may be read odd cuts first
    asks: str = ""  # above its labels
    helps: str = ""  # below them
    asks_who: bool = False  # somebody said so, and who is kept


LENGTHS = "bench/reading/_lengths.html"
LABELS = "bench/reading/_labels.html"
WAYS: Mapping[SourceKind, Way] = {
    SourceKind.CALIPERS: Way(panel=LENGTHS, legend=MEASURED),
    SourceKind.PROBE: Way(panel=LENGTHS, legend=MEASURED),
    SourceKind.PINS: Way(panel=LENGTHS, legend=MEASURED, each="pin", one_by_one=True, is_of_key=False),
    SourceKind.MACHINE: Way(
        panel=LABELS,
        legend=("Square: as the machine rounded it",),
        asks="What the machine says",
        helps="A machine rounds: of a worn key it says one deep everywhere, and that is allowed for.",
    ),
    SourceKind.PARTS: Way(
        panel=LABELS,
        legend=STATED,
        asks="What is stamped on them",
        helps="A stamped number or letter is the depth; check that the maker counts as this table does.",
    ),
    SourceKind.DEPTH_KEYS: Way(panel="bench/reading/_depth_keys.html", legend=LOOKED),
    SourceKind.GRID: Way(panel="bench/reading/_grid.html", legend=STATED, may_be_odd_first=True),
    SourceKind.STAGES: Way(panel="bench/reading/_stages.html", legend=LOOKED),
    SourceKind.COMPARED: Way(
        panel="bench/reading/_compared.html", legend=("Tie: two cuts compared, lower at the deeper one",)
    ),
    SourceKind.CODE: Way(panel="bench/reading/_code.html", legend=STATED),
    SourceKind.KNOWN: Way(
        panel=LABELS,
        legend=STATED,
        asks="The bitting as it stands",
        helps="Where nothing else is known of the key it is settled at once, and read back before anything is cut.",
        asks_who=True,
    ),
    SourceKind.TRY_OUT: Way(
        panel=LABELS,
        legend=STATED,
        asks="The key that turned it",
        helps="A cut between two depths as 2½. Such a key turns locks of either.",
    ),
    SourceKind.SWINGS: Way(
        panel="bench/reading/_swings.html", legend=("Bar: moved a lot", "Cross: a little only"), each="disc"
    ),
    SourceKind.TURNED: Way(
        panel=LABELS,
        legend=STATED,
        asks="Before and after turning, each cut as left>up",
        helps="Turn it back before you pull it out. One row may tell of several tracks; a pair that the family’s table "
        "lacks is named.",
    ),
    SourceKind.TRIED: Way(panel="bench/reading/_tried.html"),
}
