"""The job card as a PDF; only files of the application itself are read while it is made."""

from __future__ import annotations

from pathlib import Path

from django.template.loader import render_to_string

from wryfalcon.bench.models import Tag
from wryfalcon.bench.queries.planning import card_of
from wryfalcon.bench.views.stage import key_of
from wryfalcon.records.document import record_of

ASSETS = Path(__file__).resolve().parents[1] / "static"


def job_card_pdf(tag: Tag) -> bytes:
    """One tag on paper: who, which key, the bitting, the cuts, the proof."""
    from weasyprint import HTML  # here, since it takes seconds to load and few pages need it
    from weasyprint.urls import URLFetcher

    values = tag.settlement.values if tag.settlement else {}
    text = render_to_string(
        "records/job_card.html",
        {
            "tag": tag,
            "family": tag.family,
            "record": record_of(tag),
            "card": card_of(tag, tag.set_up) if tag.set_up else None,
            "key": key_of(tag, values),
            "unit": tag.family.unit.value,
            # A drawing in a PDF takes its styles from inside itself only.
            "drawing_styles": (ASSETS / "job-card-drawing.css").read_text(),
        },
    )
    fetcher = URLFetcher(allowed_protocols=["file"])
    return bytes(HTML(string=text, base_url=ASSETS.as_uri() + "/", url_fetcher=fetcher).write_pdf())
