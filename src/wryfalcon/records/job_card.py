"""The job card as a PDF; only files of the application itself are read while it is made."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.template.loader import render_to_string

from wryfalcon.bench.models import Tag
from wryfalcon.bench.proving.keys_made import keys_made
from wryfalcon.bench.setting_up.cut_table import cut_table
from wryfalcon.bench.setting_up.planning import card_of
from wryfalcon.bench.stage import settled_key_of
from wryfalcon.drawings.paper import DESK, laid_on
from wryfalcon.lengths import shown_in
from wryfalcon.records.document import record_of

ASSETS = Path(__file__).resolve().parents[1] / "static"


def job_card_pdf(tag: Tag) -> bytes:
    """One tag on paper: who, which key, the bitting, the cuts, the proof."""
    from weasyprint import HTML  # here, since it takes seconds to load and few pages need it
    from weasyprint.urls import URLFetcher

    with shown_in(tag.family.unit), laid_on(DESK):  # paper is for whoever reads the family's own table
        text = render_to_string("records/job_card.html", _context(tag))
    fetcher = URLFetcher(allowed_protocols=["file"])
    return bytes(
        HTML(string=text, base_url=ASSETS.as_uri() + "/", url_fetcher=fetcher).write_pdf(pdf_variant="pdf/ua-1")
    )


def _context(tag: Tag) -> dict[str, Any]:
    card = card_of(tag, tag.set_up) if tag.set_up else None
    return {
        "tag": tag,
        "family": tag.family,
        "record": record_of(tag),
        "made": keys_made(tag),
        "card": card,
        "cuts": cut_table(card) if card else None,
        "key": settled_key_of(tag),
        "unit": tag.family.unit.value,
        # A drawing in a PDF takes its styles from inside itself only.
        "drawing_styles": (ASSETS / "job-card-drawing.css").read_text(),
    }
