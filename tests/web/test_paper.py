"""Keys drawn for the width of the screen that asks: laid out anew on a phone; on paper and in rows the desk’s."""

from __future__ import annotations

import io
import re

import pytest
from django.test import Client
from pypdf import PdfReader

from web.jobs import People, hang, settled
from wryfalcon.bench.models import Tag
from wryfalcon.demonstration.making import family_record, type_values

pytestmark = pytest.mark.django_db
BITTINGS = {
    "harbour-five": ["3", "5", "2", "4", "1"],
    "bollard-six": ["3", "5", "2", "4", "1", "6"],
    "lantern-nine": ["1", "3", "5", "2", "4", "5", "1", "4", "2"],
}
LETTER = 7.0  # as wide as a letter of a note is, at most


def measured(people: People, slug: str) -> Tag:
    """A tag whose key was measured and settled."""
    tag = hang(people, family=family_record(slug))
    values = dict(zip(tag.family.tracks[0].labels, tag.family.tracks[0].values, strict=True))
    type_values(people["tam"], tag, "A", [values[label] for label in BITTINGS[slug]])
    settled(people, tag, {"A": BITTINGS[slug]})
    return tag


def drawing_of(page: bytes) -> str:
    """The large drawing of a page."""
    (found,) = re.findall(r'<svg class="bench-drawing of-a-key.*?</svg>', page.decode(), re.DOTALL)
    return found


def size(drawing: str) -> tuple[float, float]:
    found = re.search(r'viewBox="0 0 ([\d.]+)\s+([\d.]+)"', drawing)
    assert found is not None
    return float(found[1]), float(found[2])


@pytest.mark.parametrize("slug", BITTINGS)
@pytest.mark.parametrize("stage", ["read", "settle", "cut"])
def test_on_a_phone_everything_of_a_key_lies_within_its_own_narrow_drawing(
    smith: Client, people: People, slug: str, stage: str
) -> None:
    tag = measured(people, slug)
    smith.cookies["paper"] = "phone"
    drawing = drawing_of(smith.get(f"/tags/{tag}/{stage}").content)
    width, height = size(drawing)
    assert width == 380.0
    for attributes, words in re.findall(r"<text\s([^>]*)>(.*?)</text>", drawing, re.DOTALL):
        x, y = (float(re.search(rf'\b{axis}="([-\d.]+)"', attributes)[1]) for axis in "xy")  # type: ignore[index]
        said = " ".join(re.sub(r"<tspan class=\"ladder-value\">.*?</tspan>", "", words).split())
        before = {"middle": 0.5, "end": 1.0}.get("".join(re.findall(r'text-anchor="(\w+)"', attributes)), 0.0)
        left = x - before * LETTER * len(said)
        assert left >= -2, said
        assert left + LETTER * len(said) <= width + 10, said
        assert 8 <= y <= height, said
    for d in re.findall(r'\sd="(M[^"]*)"', drawing.split("</defs>")[1]):
        xs = [float(x) for x in re.findall(r"[ML]([-\d.]+) ", d)]
        assert 0 <= min(xs) <= max(xs) <= width
    assert 'class="bow"' not in drawing or slug == "lantern-nine"  # whose ends are drawn as bows are


def test_the_same_key_is_drawn_for_each_screen_that_asks(smith: Client, people: People) -> None:
    tag = measured(people, "harbour-five")
    for paper, width in (("desk", 860.0), ("phone", 380.0), ("desk", 860.0), ("a wall; DROP", 860.0), ("", 860.0)):
        smith.cookies["paper"] = paper
        assert size(drawing_of(smith.get(f"/tags/{tag}/settle").content))[0] == width


def test_what_is_printed_and_what_is_small_has_its_bow_wherever_it_was_asked_for(
    smith: Client, people: People, monkeypatch: pytest.MonkeyPatch
) -> None:
    from wryfalcon.records import job_card

    tag = measured(people, "harbour-five")
    written: list[str] = []
    smith.cookies["paper"] = "phone"
    real = job_card.render_to_string
    monkeypatch.setattr(job_card, "render_to_string", lambda *given: written.append(real(*given)) or written[-1])
    assert smith.post(f"/tags/{tag}/job-card.pdf").status_code == 200
    assert size(drawing_of(written[0].encode()))[0] == 860.0
    row = smith.get("/records/").content.decode()
    assert re.search(r'<svg class="small-key".*?<path class="bow" d="M', row, re.DOTALL)


def test_the_job_card_is_tagged_and_shows_its_title(smith: Client, people: People) -> None:
    tag = measured(people, "harbour-five")
    card = PdfReader(io.BytesIO(smith.post(f"/tags/{tag}/job-card.pdf").content))
    root = card.trailer["/Root"]
    assert root["/MarkInfo"]["/Marked"]
    assert root["/ViewerPreferences"]["/DisplayDocTitle"]
    assert root["/Lang"].startswith("en")
    assert str(tag) in (card.metadata.title or "")
