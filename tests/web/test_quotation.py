"""A picture of a lock, sent for a quotation: kept small and bare, and what must be known asked for."""

from __future__ import annotations

from io import BytesIO

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from PIL import Image

from web.jobs import People, hang
from wryfalcon.bench.models import Asked, OnBench, Picture, Tag
from wryfalcon.bench.tags.pictures import LONGEST_SIDE, small_and_bare
from wryfalcon.refusal import NotDone

pytestmark = pytest.mark.django_db
WHERE_IT_WAS_TAKEN = 0x8825  # the GPS part of Exif
TURNED, ORIENTATION = 6, 0x0112


def taken(size: tuple[int, int] = (3000, 2000), kind: str = "JPEG") -> bytes:
    exif = Image.Exif()
    exif[ORIENTATION], exif[0x010F] = TURNED, "a camera"
    exif.get_ifd(WHERE_IT_WAS_TAKEN)[1] = "N"
    picture, raw = Image.new("RGB", size, "tan"), BytesIO()
    picture.save(raw, kind, exif=exif)
    return raw.getvalue()


@pytest.fixture
def asked(people: People) -> Tag:
    return hang(people, on_bench=OnBench.PICTURE, family=None, authority="", locks=[])


def test_it_opens_a_tag_that_asks_what_must_be_known(smith: Client, asked: Tag) -> None:
    assert "to hear what must be known of its lock" in smith.get("/").content.decode()
    said = dict.fromkeys(Asked.values, "") | {"bore": "8 mm"}
    smith.post(f"/tags/{asked.number}/answers", said)
    assert "to hear what must be known" in smith.get("/").content.decode()
    smith.post(f"/tags/{asked.number}/answers", dict.fromkeys(Asked.values, "not sure"))
    assert "its family to be found" in smith.get("/").content.decode()
    page = smith.get(f"/tags/{asked.number}/take-in").content.decode()
    assert page.count('value="not sure"') == 4


def test_nothing_is_read_from_a_picture(smith: Client, people: People) -> None:
    tag = hang(people, on_bench=OnBench.PICTURE, authority="")
    assert "Write down under Take in" in smith.get(f"/tags/{tag.number}/read").content.decode()


def test_it_is_kept_small_upright_and_bare(smith: Client, asked: Tag) -> None:
    upload = SimpleUploadedFile("lock.jpg", taken(), "image/jpeg")
    smith.post(f"/tags/{asked.number}/picture", {"picture": upload})
    kept = bytes(Picture.objects.get(tag=asked).jpeg)
    with Image.open(BytesIO(kept)) as picture:
        assert picture.size == (round(LONGEST_SIDE * 2 / 3), LONGEST_SIDE)  # it was taken on its side
        assert (dict(picture.getexif()), picture.info.get("exif")) == ({}, None)
    assert b"a camera" not in kept
    answer = smith.get(f"/tags/{asked.number}/picture.jpg")
    assert (answer["Content-Type"], answer.content) == ("image/jpeg", kept)


@pytest.mark.parametrize("raw", [b"", b"no picture at all", b"<svg xmlns='http://www.w3.org/2000/svg'/>", taken()[:60]])
def test_what_is_no_picture_is_refused_and_the_one_before_stays(smith: Client, asked: Tag, raw: bytes) -> None:
    smith.post(f"/tags/{asked.number}/picture", {"picture": SimpleUploadedFile("a.png", taken((40, 30), "PNG"))})
    before = bytes(Picture.objects.get().jpeg)
    page = smith.post(f"/tags/{asked.number}/picture", {"picture": SimpleUploadedFile("b.jpg", raw)}, follow=True)
    assert bytes(Picture.objects.get().jpeg) == before
    assert page.status_code == 200


def test_a_picture_of_too_many_pixels_is_refused_before_it_is_unpacked() -> None:
    huge = BytesIO()
    Image.new("1", (9000, 9000)).save(huge, "PNG")
    with pytest.raises(NotDone, match="too many pixels"):
        small_and_bare(huge.getvalue())


def test_there_is_none_where_none_was_sent(smith: Client, asked: Tag) -> None:
    assert smith.get(f"/tags/{asked.number}/picture.jpg").status_code == 404
    assert "Choose the picture first" in smith.post(f"/tags/{asked.number}/picture", follow=True).content.decode()
