"""A key at its real size on the glass: set once for a device by a card, kept there, and never printed so."""

from __future__ import annotations

import io
import re

from playwright.sync_api import expect
from pypdf import PdfReader

from browser import stages
from browser.smith import Smith
from web.jobs import carded, hang, settled
from wryfalcon.accounts.models import User
from wryfalcon.bench.models import OnBench, SourceKind
from wryfalcon.bench.reading.actions import state_labels
from wryfalcon.bench.reading.source_actions import add_source
from wryfalcon.demonstration.making import family_record
from wryfalcon.keeping.trimming.actions import begin_trim
from wryfalcon.machines.models import Machine

CARD = 85.6  # mm, ISO/IEC 7810 ID-1


def widths(smith: Smith) -> dict[str, float]:
    """How wide each drawing is on the glass, px, by how wide it says it is, mm."""
    return smith.page.evaluate(
        "() => Object.fromEntries([...document.querySelectorAll('svg[data-wide]')]"
        ".map((each) => [each.dataset.wide, each.getBoundingClientRect().width]))"
    )


def test_a_card_laid_on_the_glass_sets_the_scale_of_this_device(smith: Smith) -> None:
    smith.log_in()
    stages.hang(smith, "Stage door", "known", "Harbour five", ("Stage door", "snags"))
    stages.type_values(smith, ["278", ".2353", "0,2947", "6.546 mm", "0.3189"])
    smith.go(f"{smith.tag}/real-size")
    smith.page.locator("summary").filter(has_text="On the glass").click()
    before = widths(smith)
    for _ in range(30):
        smith.page.get_by_role("button", name="Larger", exact=True).click()
    for _ in range(3):
        smith.page.get_by_role("button", name="A little smaller").click()
    after = widths(smith)
    per_mm = after["85.6"] / CARD
    assert per_mm > 1.5 * before["85.6"] / CARD
    assert all(abs(width / float(mm) - per_mm) < 0.02 * per_mm for mm, width in after.items() if width)  # one scale
    smith.go(f"{smith.tag}/real-size")
    smith.sees("set for this device")
    ruler = smith.page.locator("svg[data-wide='62']")
    expect(ruler).to_have_attribute("width", re.compile("px$"))
    smith.page.evaluate("() => window.dispatchEvent(new Event('beforeprint'))")
    expect(ruler).to_have_attribute("width", "62mm")
    smith.page.evaluate("() => window.dispatchEvent(new Event('afterprint'))")
    assert abs(widths(smith)["62"] / 62 - per_mm) < 0.02 * per_mm
    assert not smith.complaints


def printed(smith: Smith, path: str) -> PdfReader:
    smith.go(path)
    return PdfReader(io.BytesIO(smith.page.pdf(prefer_css_page_size=True, print_background=True)))


def words(paper: PdfReader) -> str:
    return " ".join(" ".join(page.extract_text() for page in paper.pages).split())


def test_a_card_on_paper_keeps_its_columns_and_a_wide_drawing_turns_the_sheet(smith: Smith) -> None:
    """A4 upright has every figure the card is for; what is wider than it stands on a sheet laid across."""
    people = {person.username: person for person in User.objects.all()}
    tag = hang(people, family=family_record("lamphouse-six"))
    settled(people, tag, {"A": list("123212"), "B": list("212321"), "S": list("xyx")})
    carded(people, tag, Machine.objects.get(name="Old Gannet"))
    smith.log_in()
    card = printed(smith, f"/tags/{tag}/set-up/card")
    said = words(card)
    for column in ("Machine is told", "Stands off", "Mill’s middle"):
        assert column in said, column
    assert {round(float(page.mediabox.width) / 72 * 25.4) for page in card.pages} == {210}
    size = printed(smith, f"/tags/{tag}/real-size")
    assert "not fitted to the page. Lay a ruler on the scale" in words(size)
    wide = max(float(mm) for mm in widths(smith))
    across = {round(float(page.mediabox.width) / 72 * 25.4) for page in size.pages}
    assert (wide > 186) == (297 in across)
    assert wide <= 283


def test_trial_sheets_and_trims_on_paper_keep_their_columns(smith: Smith) -> None:
    people = {person.username: person for person in User.objects.all()}
    tag = hang(people, family=family_record("harbour-five"), on_bench=OnBench.LOCK)
    grid = add_source(people["tam"], tag, "A", SourceKind.GRID)
    state_labels(people["tam"], tag, grid, {space: [label] for space, label in enumerate("3524", start=1)})
    smith.log_in()
    sheet = printed(smith, f"/tags/{tag}/tries")
    for column in ("Try", "Blank", "Cut on it then", "The key is then", "Chance", "It"):
        assert column in words(sheet), column
    assert "Back to Settle" not in words(sheet)
    gannet = Machine.objects.get(name="Old Gannet")
    trim = begin_trim(people["tam"], gannet, family_record("harbour-five"), own="3 5 2 4 1")
    paper = printed(smith, f"/machines/trims/{trim.pk}/paper")
    for column in ("Cut", "At, in", "Should be, in", "Clamping 1", "The caliper says"):
        assert column in words(paper), column
    assert {round(float(page.mediabox.width) / 72 * 25.4) for page in (*sheet.pages, *paper.pages)} == {210}
