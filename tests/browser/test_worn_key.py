"""The whole way: a worn key comes in, a proven key goes out, without a mouse."""

from __future__ import annotations

import json
from pathlib import Path

from playwright.sync_api import expect

from browser import stages
from browser.smith import Smith
from wryfalcon.bench.models import Tag

WORN = ["278", ".2353", "0,2947", "6.546 mm", "0.3189"]  # 3 5 2 4 1, about 9 thou low; its rounded reading is wrong


def through_the_stages(smith: Smith) -> None:
    """From the log-in to a measured key."""
    smith.log_in()
    stages.hang(smith, "Stage door, one more", "stage manager, known", "Harbour five", ("Stage door", "snags"))
    stages.type_values(smith, WORN)
    smith.sees("Read plainly it would be")
    stages.settle_and_read_back(smith, "3 5 2 · 4 1")
    stages.make_the_card(smith, checks=6)
    stages.cut(smith)
    stages.measure(smith, 3)
    smith.press_button("Goes freely")
    smith.sees("cuts up, at first: goes freely")


def test_a_worn_key_comes_in_and_a_proven_key_goes_out(smith: Smith, tmp_path: Path) -> None:
    through_the_stages(smith)
    smith.sees("inside")
    smith.go_on()
    smith.is_at(f"{smith.tag}/hand-over")
    smith.sees("1 of 1 key proven")
    record = _record(smith, tmp_path)
    smith.go_on()
    smith.sees("handed over")
    assert Tag.objects.get(number=401).state == "closed"
    _make_again(smith, record)


def _record(smith: Smith, folder: Path) -> str:
    with smith.page.expect_download() as download:
        smith.press_button("Record, JSON")
    saved = folder / "record.json"
    download.value.save_as(saved)
    return json.dumps(json.loads(saved.read_text()))


def _make_again(smith: Smith, record: str) -> None:
    smith.go("/records/bring-back")
    smith.reach("#document")
    smith.page.keyboard.insert_text(record)
    smith.fill("#authority", "asked for in person")
    smith.press_button("Hang a tag for it")
    smith.is_at("/tags/402/settle")
    expect(smith.page.locator(".bitting-huge")).to_have_text("3 5 2 · 4 1")
