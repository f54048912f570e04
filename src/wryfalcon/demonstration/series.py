"""Invented code series for the shop's boats and huts."""

from __future__ import annotations

from dataclasses import replace
from random import Random

from keycore.codes.formula import Formula
from keycore.documents.series import SeriesDocument
from wryfalcon.accounts.models import User
from wryfalcon.codes.actions.intake import bring_in
from wryfalcon.codes.actions.offer import offer, offer_formula
from wryfalcon.demonstration.faces import CAPSTAN, GANTRY, LAMPHOUSE, SLIPWAY
from wryfalcon.demonstration.making import bitting_of, family_record
from wryfalcon.demonstration.other_ways import LAMP, LIGHTHOUSE, METER

CODES = 600
OF_FACES = {
    "S": ("Slipway consoles", "slipway-nine", list(SLIPWAY)),
    "C": ("Cranes", "gantry-eight", list(GANTRY["A"])),
    "P": ("Lamphouses", "lamphouse-six", list(LAMPHOUSE["A"])),
    "D": ("Capstan houses", "capstan-five", list(CAPSTAN["A"])),
}
"""By the letter of their codes, of each family's first track."""
INVENTED = "invented for the demonstration"


def bring_in_series(owner: User) -> None:
    """The moorings' wafer locks in two editions, the huts', and lockers by formula."""
    moorings = _bittings("mooring-locks", "lighthouse-eight", [*LIGHTHOUSE, "4", "2"])
    about = SeriesDocument(
        "mooring-locks", "Mooring locks M", "lighthouse-eight", maker="Breakwater", use="boat lockers",
        note=INVENTED, edition="2024",
    )  # fmt: skip
    _bring_in(owner, about, "M", moorings)
    moorings[99], moorings[250] = moorings[98], moorings[251]
    _bring_in(owner, replace(about, edition="2026"), "M", [*moorings, moorings[7]])
    about = SeriesDocument(
        "hut-locks", "Hut locks H", "beach-hut-five", maker="Sandbar", use="beach huts", note=INVENTED, printed="#####x"
    )
    _bring_in(owner, about, "H", _bittings("hut-locks", "beach-hut-five", None), last="K")
    about = SeriesDocument(
        "mooring-meters", "Mooring meters B", "bollard-six", maker="Sandbar", use="meters on the moorings",
        note=INVENTED,
    )  # fmt: skip
    _bring_in(owner, about, "B", _bittings("mooring-meters", "bollard-six", list(METER)))
    about = SeriesDocument(
        "lamp-rooms", "Lamp rooms L", "lantern-nine", maker="Breakwater", use="lamp rooms and buoys", note=INVENTED
    )
    _bring_in(owner, about, "L", _bittings("lamp-rooms", "lantern-nine", list(LAMP)))
    for letter, (name, family_id, one) in OF_FACES.items():
        about = SeriesDocument(
            f"{name.split()[0].lower()}-{family_id}", f"{name} {letter}", family_id, maker="Gantry & Daughters",
            track="A", note=INVENTED,
        )  # fmt: skip
        _bring_in(owner, about, letter, _bittings(about.id, family_id, one))
    about = SeriesDocument(
        "quay-lockers", "Quay lockers Q", "harbour-five", maker="Breakwater", use="lockers on the quay", note=INVENTED
    )
    bring_in(owner, offer_formula(owner, about, Formula("Q001", "Q400", "counted", start=200, every=7)))


def _bittings(name: str, family_id: str, one: list[str] | None) -> list[list[str]]:
    random = Random(name)
    family = family_record(family_id).family
    track = family.tracks[0].name
    bittings = [bitting_of(family, random)[track] for _ in range(CODES)]
    if one is not None:
        bittings[41] = one
    return bittings


def _bring_in(owner: User, about: SeriesDocument, prefix: str, bittings: list[list[str]], last: str = "") -> None:
    rows = "\n".join(f"{prefix}{1000 + place}{last},{' '.join(labels)}" for place, labels in enumerate(bittings))
    bring_in(owner, offer(owner, f"code,bitting\n{rows}\n".encode(), about))
