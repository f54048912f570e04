"""What is taken away of a tag: its record as a document, and its job card as a PDF."""

from __future__ import annotations

import json

from django.http import HttpResponse
from django.urls import path

from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.stage import find_tag
from wryfalcon.log.actions import note_document
from wryfalcon.presses import press
from wryfalcon.records.document import record_of
from wryfalcon.records.job_card import job_card_pdf


@press
@needs(Act.LOOK)
def record_json(request: PersonRequest, number: int) -> HttpResponse:
    """The record as a document that can be read back in."""
    tag = find_tag(number)
    note_document(request.user, tag, "the record")
    answer = HttpResponse(json.dumps(record_of(tag), indent=1, ensure_ascii=False), content_type="application/json")
    answer["Content-Disposition"] = f'attachment; filename="tag-{tag}.json"'
    return answer


@press
@needs(Act.LOOK)
def job_card(request: PersonRequest, number: int) -> HttpResponse:
    """The job card as a PDF."""
    tag = find_tag(number)
    note_document(request.user, tag, "the job card")
    answer = HttpResponse(job_card_pdf(tag), content_type="application/pdf")
    answer["Content-Disposition"] = f'inline; filename="tag-{tag}.pdf"'
    return answer


app_name = "papers"
urlpatterns = [
    path("tags/<int:number>/record.json", record_json, name="record-json"),
    path("tags/<int:number>/job-card.pdf", job_card, name="job-card"),
]
