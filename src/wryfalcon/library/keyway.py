"""Which keyway is it, and a family nobody has published: what was typed, made into the core's records."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from keycore.errors import InputError
from keycore.family import Gauge
from keycore.reading.keyway import KeywayFit, UnknownKey, rank_families
from keycore.reading.unknown_family import FittedFamily, MeasuredKey, fit_family
from keycore.units import Unit, convert
from wryfalcon.lengths import NotALength, parse_length
from wryfalcon.library.models import FamilyRecord

MOST_KEYS = 8
VALUE_SD = 0.0016
"""One caliper reading of a hardly worn cut, inches; common practice, no source."""


@dataclass(frozen=True)
class Ranked:
    """A family of the library and how it fits."""

    record: FamilyRecord
    fit: KeywayFit


def lengths(text: str, shop: Unit, wanted: Unit, field: str) -> tuple[float, ...]:
    """Lengths typed one after another, spaces or semicolons between. Raises InputError naming the field."""
    words = text.replace(";", " ").replace(" mm", "mm").replace(" in", "in").split()
    try:
        return tuple(parse_length(word, shop, wanted).value for word in words)
    except NotALength as error:
        raise InputError(field, str(error)) from None


def which_keyway(asked: Mapping[str, str], shop: Unit) -> list[Ranked]:
    """Rank the library by what was measured of a key. Raises InputError naming the field."""
    gauge = asked.get("gauge", "")
    seen = UnknownKey(
        positions=lengths(asked.get("positions", ""), shop, Unit.INCH, "positions"),
        gauge=Gauge(gauge) if gauge in list(Gauge) else None,
        height=_one(asked, "height", shop, Unit.INCH),
        thickness=_one(asked, "thickness", shop, Unit.INCH),
    )
    records = {record.family.id: record for record in FamilyRecord.objects.in_force().prefetch_related("blanks")}
    fits = rank_families(seen, [record.family for record in records.values()])
    return [Ranked(records[fit.family.id], fit) for fit in fits]


def _one(asked: Mapping[str, str], field: str, shop: Unit, wanted: Unit) -> float | None:
    found = lengths(asked.get(field, ""), shop, wanted, field)
    if len(found) > 1:
        raise InputError(field, "one length is enough")
    return found[0] if found else None


@dataclass(frozen=True)
class Unknown:
    """The keys of an unknown family as they were typed, and what is known of its blank."""

    positions: Sequence[str]  # one text for each key
    depths: Sequence[str]
    about: Mapping[str, str]
    unit: Unit


def fit_unknown(unknown: Unknown) -> FittedFamily:
    """Fit the family of the keys that were typed. Raises InputError naming the field."""
    if len(unknown.positions) != len(unknown.depths):
        raise InputError("depths", f"{len(unknown.depths)} rows of depths for {len(unknown.positions)} of positions")
    keys = [
        MeasuredKey(
            lengths(positions, unknown.unit, unknown.unit, f"key {number}, positions"),
            lengths(depths, unknown.unit, unknown.unit, f"key {number}, depths"),
        )
        for number, (positions, depths) in enumerate(zip(unknown.positions, unknown.depths, strict=True), start=1)
        if positions.strip() or depths.strip()
    ]
    return fit_family(keys, convert(VALUE_SD, Unit.INCH, unknown.unit))


def document_of(fitted: FittedFamily, unknown: Unknown) -> dict[str, Any]:
    """The family document, which says that it was measured and how well. Raises InputError for the blank."""
    about, unit, places = unknown.about, unknown.unit, 4 if unknown.unit == Unit.INCH else 3
    gauge, counted = about.get("gauge", "shoulder"), about.get("numbered_from", "bow")
    spaces = [round(x, places) for x in fitted.spaces]
    from_gauge = (gauge == "shoulder") == (counted == "bow")
    half = (fitted.step.high - fitted.step.low) / 2
    document: dict[str, Any] = {
        "format": "wry-falcon.family/1", "id": about.get("id", ""), "name": about.get("name", ""), "kind": "edge",
        "unit": unit.value, "gauge": gauge, "numbered_from": counted,
        "tracks": [{
            "name": "A", "spaces": spaces if from_gauge else spaces[::-1],
            "depths": [
                {"label": str(k), "value": round(depth.value, places)} for k, depth in enumerate(fitted.depths, start=1)
            ],
        }],
        "edition": f"measured from {fitted.keys} keys",
        "notes": (
            f"Labels are our own, 1 the shallowest seen. First cut {fitted.first_cut.value:.{places}f}, pitch "
            f"{fitted.pitch.value:.{places}f}, step {fitted.step.value:.{places}f} give or take {half:.{places}f} "
            "(95 in 100). Keys worn alike read deep alike, which this cannot see."
        ),
        "source": f"measured from {fitted.keys} keys by this shop, not published",
    }  # fmt: skip
    blank = {name: _one(about, name, unit, unit) for name in ("height", "thickness", "length")}
    if about.get("blank", "").strip() or any(blank.values()):
        kept = {name: round(value, places) for name, value in blank.items() if value is not None}
        document["blank"] = {"code": about.get("blank", "").strip(), **kept}
    return document
