"""A key at its real size on the glass: set once for a device by a card, kept there, and never printed so."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from browser import stages
from browser.smith import Smith

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
