"""Invented code series for the shop's boats and huts."""

from __future__ import annotations

from random import Random

from keycore.documents.series import SeriesDocument
from wryfalcon.accounts.models import User
from wryfalcon.codes.actions import import_series, offer_series
from wryfalcon.demonstration.making import bitting_of, family_record
from wryfalcon.demonstration.other_ways import LIGHTHOUSE

CODES = 600


def bring_in_series(owner: User) -> None:
    """Two series: the moorings' wafer locks, and the huts'."""
    _series(owner, "mooring-locks", "Mooring locks M", "lighthouse-eight", "M", [*LIGHTHOUSE, "4", "2"])
    _series(owner, "hut-locks", "Hut locks H", "beach-hut-five", "H", None)


def _series(owner: User, slug: str, name: str, family_id: str, prefix: str, one: list[str] | None) -> None:
    random = Random(slug)
    family = family_record(family_id).family
    track = family.tracks[0].name
    bittings = [bitting_of(family, random)[track] for _ in range(CODES)]
    if one is not None:
        bittings[41] = one
    rows = "\n".join(f"{prefix}{1000 + place},{' '.join(labels)}" for place, labels in enumerate(bittings))
    about = SeriesDocument(slug, name, family_id, track, "invented for the demonstration", [])
    import_series(owner, offer_series(f"code,bitting\n{rows}\n".encode(), about))
