"""Lever keys filed by stages: each look kept, deeper only, the next key by what the first one's trials showed."""

from __future__ import annotations

from typing import Any

import pytest
from django.test import Client

from web.jobs import People, hang, settled
from web.test_bench import words
from wryfalcon.bench.filing.queries import first_that_works, heights_to_file
from wryfalcon.bench.models import Felt, OnBench, Piece, PieceState, StageLook, Tag
from wryfalcon.bench.proving.actions import TrialFelt, try_in_lock
from wryfalcon.bench.stage import to_stage
from wryfalcon.demonstration.making import family_record

pytestmark = pytest.mark.django_db

SLUICE = {"A": list("2413")}  # 8.4, 7.4, 8.9 of a bit 9.4 high, and 7.9 mm


@pytest.fixture
def begun(smith: Client, people: People) -> Piece:
    """A lever key that is begun."""
    tag = hang(people, family=family_record("sluice-four"), on_bench=OnBench.LOCK)
    settled(people, tag, SLUICE)
    return begin(smith, tag)


def begin(smith: Client, tag: Tag, number: int = 1) -> Piece:
    posted = {"way": "filed:", "expected": f"{number}.1", "press": f"k{number}", "one-more": "1"}
    smith.post(f"/tags/{tag}/cut/by-hand", posted)
    return Piece.objects.get(tag=tag, key_number=number)


def filed(smith: Client, piece: Piece, space: int, height: str, showed: str = "high", **more: Any) -> str:
    """A step written down; what the page then says."""
    last = piece.stage_looks.filter(withdrawn=False).last()
    posted = {
        "step": f"A:{space}", "height": height, "showed": showed, "known": last.pk if last else 0, "typed_in": "mm",
        **more,
    }  # fmt: skip
    answer = smith.post(f"/tags/{piece.tag}/cut/{piece.pk}/filed", posted, follow=True)
    return " ".join(answer.content.decode().split())


def looks(piece: Piece) -> list[tuple[int, float, str]]:
    return [(look.space, look.height, look.showed) for look in piece.stage_looks.filter(withdrawn=False)]


def test_steps_go_down_together_and_each_stage_s_look_is_kept(smith: Client, begun: Piece) -> None:
    page = words(smith, f"/tags/{begun.tag}/cut")
    assert "File step 1 to" in page
    filed(smith, begun, 2, "7.9 mm")
    filed(smith, begun, 1, "8.9mm", "clear")
    assert looks(begun) == [(2, pytest.approx(7.9), "high"), (1, pytest.approx(8.9), "clear")]
    page = words(smith, f"/tags/{begun.tag}/cut")
    assert "0.3110 marked: still high" in page
    assert "File step 4 to" in page  # the one with most of its stages before it


def test_a_step_only_gets_lower_and_not_below_its_depth_before_its_stages(smith: Client, begun: Piece) -> None:
    filed(smith, begun, 2, "7.6 mm")
    assert "a file takes off, nothing puts on" in filed(smith, begun, 2, "7.8 mm")
    assert "is below its depth" in filed(smith, begun, 2, "7.0 mm")
    assert "is not a length" in filed(smith, begun, 2, "low")
    assert '<option value="A:3" selected' in filed(smith, begun, 3, "low")  # the step that was chosen stays chosen
    assert "Say which step was filed" in filed(smith, begun, 2, "7.5 mm", step="Z:1")
    assert "There is no such step" in filed(smith, begun, 9, "7.5 mm")
    assert "Say what it showed" in filed(smith, begun, 2, "7.5 mm", "well")
    assert "above the bit or below the stem" in filed(smith, begun, 2, "1 mm", by_mark="1")
    assert looks(begun) == [(2, pytest.approx(7.6), "high")]
    filed(smith, begun, 2, "7.2 mm", "clear", by_mark="1")
    assert looks(begun)[1] == (2, pytest.approx(7.2), "clear")


def test_a_mark_names_its_lever_or_the_spacer_beside_it(smith: Client, begun: Piece) -> None:
    track = begun.tag.family.tracks[0]
    said = filed(smith, begun, 2, "7.9 mm", mark_at=f"{track.spaces[1]} mm")
    assert "The mark there is of lever 2 (100 in 100)" in said
    assert "The last mark is of lever 2" in words(smith, f"/tags/{begun.tag}/cut")
    assert "The spacer between levers" in words(smith, f"/tags/{begun.tag}/cut")


def test_said_twice_it_is_kept_once_and_a_page_that_is_behind_is_told(smith: Client, begun: Piece) -> None:
    filed(smith, begun, 2, "7.9 mm", known=0)
    filed(smith, begun, 2, "7.9 mm", known=0)  # the reply was lost
    assert "Another step was written down" in filed(smith, begun, 1, "8.9 mm", known=0)
    assert len(looks(begun)) == 1


def test_only_the_last_look_is_taken_back(smith: Client, begun: Piece) -> None:
    filed(smith, begun, 2, "7.9 mm")
    filed(smith, begun, 1, "8.9 mm")
    first, last = StageLook.objects.all()
    address = f"/tags/{begun.tag}/cut/{begun.pk}/filed"
    assert "only the last one" in smith.post(address, {"back": first.pk}, follow=True).content.decode()
    smith.post(address, {"back": last.pk})
    smith.post(address, {"back": last.pk})  # said twice
    assert looks(begun) == [(2, pytest.approx(7.9), "high")]


def test_nothing_is_filed_of_a_key_whose_bitting_moved_that_is_made_or_of_another_tag(
    smith: Client, people: People, begun: Piece
) -> None:
    other = hang(people)
    assert smith.post(f"/tags/{other}/cut/{begun.pk}/filed", {"step": "A:1"}).status_code == 404
    settled(people, Tag.objects.get(pk=begun.tag_id), {"A": [*reversed(SLUICE["A"])]})
    assert "settled anew since this key was begun" in filed(smith, begun, 2, "7.9 mm")
    assert "Filed to" not in words(smith, f"/tags/{begun.tag}/cut")
    made = begin_after(smith, begun)
    smith.post(f"/tags/{made.tag}/cut/{made.pk}/made", {"made": "1"})
    assert "nothing of it is filed now" in filed(smith, made, 2, "7.9 mm")


def begin_after(smith: Client, begun: Piece) -> Piece:
    smith.post(f"/tags/{begun.tag}/cut/{begun.pk}/end", {"blank": "used", "why": "settled anew", "press": "e1"})
    smith.post(f"/tags/{begun.tag}/cut/by-hand", {"way": "filed:", "press": "k9"})
    return Piece.objects.exclude(pk=begun.pk).get(tag=begun.tag)


def test_the_next_key_is_filed_by_what_the_first_one_s_trials_showed(
    smith: Client, people: People, begun: Piece
) -> None:
    tag = begun.tag
    for space, height in enumerate(("8.4", "7.4", "8.9", "7.9"), start=1):
        filed(smith, begun, space, f"{height} mm", "clear")
    filed(smith, begun, 2, "7.3 mm", "clear", by_mark="1")
    smith.post(f"/tags/{tag}/cut/{begun.pk}/made", {"made": "1"})
    begun.refresh_from_db()
    assert begun.state == PieceState.FINISHED
    assert begun.wanted_values == {"A": pytest.approx([8.4, 7.3, 8.9, 7.9])}
    assert "step 2: " in words(smith, f"/tags/{tag}/cut", piece=begun.pk).lower()
    assert first_that_works(tag) is None  # nobody tried it yet
    lock = tag.locks.get()
    try_in_lock(people["tam"], tag, begun, lock, TrialFelt("up", False, Felt.FREE, Felt.FREE, Felt.FREE, None))
    assert first_that_works(tag) == begun
    assert heights_to_file(tag) == {"A": pytest.approx([8.4, 7.3, 8.9, 7.9])}
    second = begin(smith, tag, 2)
    page = words(smith, f"/tags/{tag}/cut")
    assert "By key 1, as its locks say that it is right. It differs from the table: step 2 by −" in page
    smith.post(f"/tags/{tag}/cut/{second.pk}/made", {"made": "1"})  # without a look between
    second.refresh_from_db()
    assert second.values == {"A": pytest.approx([8.4, 7.3, 8.9, 7.9])}
    again = TrialFelt("up", True, Felt.FREE, Felt.SNAGS, Felt.FREE, None)
    try_in_lock(people["tam"], tag, begun, lock, again)
    assert first_that_works(tag) is None  # its lock takes it back


def test_the_marks_to_stick_on_are_the_bit_s_own_size(smith: Client, begun: Piece) -> None:
    page = smith.get(f"/tags/{begun.tag}/real-size").content.decode()
    assert "Marks to stick on or to scribe by, 1:1" in page
    wide, high = begun.tag.family.kind.view_size(begun.tag.family) or (0, 0)
    assert f'width="{wide + 8:g}mm" height="{high + 8:g}mm"' in page
    assert page.count('class="wall-band"') == 6  # three walls at two sizes
    assert to_stage(begun.tag, "cut").status_code == 302


def test_a_stage_typed_as_its_page_shows_it_is_that_stage(smith: Client, begun: Piece) -> None:
    """8.9 mm is shown as 0.3504 in, which is 8.90016: the next stage is asked for all the same."""
    filed(smith, begun, 1, "0.3504", typed_in="in")
    assert looks(begun) == [(1, 8.9, "high")]
    filed(smith, begun, 2, "7.9 mm")
    filed(smith, begun, 4, "8.4 mm")
    assert "File step 1 to 0.3386" in words(smith, f"/tags/{begun.tag}/cut")


def test_the_bolt_fully_out_and_in_is_the_proof_and_the_finish_is_a_bit_key_s(smith: Client, begun: Piece) -> None:
    smith.post(f"/tags/{begun.tag}/cut/{begun.pk}/made", {"made": "1"})
    page = smith.get(f"/tags/{begun.tag}/prove").content.decode()
    assert "the bolt fully out and fully in" in page
    assert "oiled between the levers" in page
    smith.post(f"/tags/{begun.tag}/prove/{begun.pk}/beside", {"finish": ["oiled", "edges"], "typed_in": "mm"})
    begun.refresh_from_db()
    assert begun.finish == ["edges", "oiled"]


def test_a_key_whose_step_is_still_marked_is_not_made_yet(smith: Client, begun: Piece) -> None:
    filed(smith, begun, 1, "8.6 mm")
    answer = smith.post(f"/tags/{begun.tag}/cut/{begun.pk}/made", {"made": "1"}, follow=True)
    assert "Step 1 showed a mark when it was looked at last" in answer.content.decode()
    begun.refresh_from_db()
    assert begun.state == PieceState.BEGUN
    filed(smith, begun, 1, "8.4 mm", "clear")
    smith.post(f"/tags/{begun.tag}/cut/{begun.pk}/made", {"made": "1"})
    begun.refresh_from_db()
    assert begun.state == PieceState.FINISHED
