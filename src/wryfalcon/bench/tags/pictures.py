"""A picture of a lock sent for a quotation: kept small and bare, and what must be known asked for."""

from __future__ import annotations

from collections.abc import Mapping
from io import BytesIO

from PIL import Image, ImageOps, UnidentifiedImageError

from wryfalcon.accounts.models import User
from wryfalcon.action import action
from wryfalcon.bench.models import Answer, Asked, Picture, Tag
from wryfalcon.bench.tags.actions import check_open
from wryfalcon.log.actions import write_down
from wryfalcon.log.models import Event
from wryfalcon.refusal import NotDone

LONGEST_SIDE = 1280
MOST_PIXELS = 60_000_000
LARGEST_FILE = 15_000_000
FORMATS = ("JPEG", "PNG", "WEBP")
QUALITY = 80


@action
def keep_picture(actor: User, tag: Tag, raw: bytes) -> Picture:
    """Keep a picture in the place of the one before. Raises NotDone for what is none, or too large."""
    check_open(tag)
    picture, _ = Picture.objects.update_or_create(tag=tag, defaults={"jpeg": small_and_bare(raw)})
    write_down(Event.CHANGED, actor, tag, changed=["picture"])
    return picture


@action
def keep_answers(actor: User, tag: Tag, said: Mapping[str, str]) -> None:
    """Keep what was heard; what is left empty is still to be asked. Raises NotDone for another question."""
    check_open(tag)
    if set(said) - set(Asked.values):
        raise NotDone("That is not asked.")
    for asked, text in said.items():
        if text.strip():
            Answer.objects.update_or_create(tag=tag, asked=asked, defaults={"text": text.strip()[:120]})
        else:
            Answer.objects.filter(tag=tag, asked=asked).delete()
    write_down(Event.CHANGED, actor, tag, changed=["answers"])


def small_and_bare(raw: bytes) -> bytes:
    """A picture as a small JPEG, turned upright, nothing but its pixels kept. Raises NotDone for what is none."""
    if len(raw) > LARGEST_FILE:
        raise NotDone(f"That file is larger than {LARGEST_FILE // 1_000_000} MB: send a smaller picture.", "picture")
    try:
        with Image.open(BytesIO(raw), formats=FORMATS) as opened:
            _check_pixels(opened)
            upright = ImageOps.exif_transpose(opened).convert("RGB")
    except NotDone:
        raise
    except (UnidentifiedImageError, OSError, ValueError, Image.DecompressionBombError):
        raise NotDone("That is no picture that can be read here: JPEG, PNG or WebP.", "picture") from None
    upright.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
    bare = Image.new("RGB", upright.size)
    bare.paste(upright)
    kept = BytesIO()
    bare.save(kept, "JPEG", quality=QUALITY, optimize=True)
    return kept.getvalue()


def _check_pixels(picture: Image.Image) -> None:
    """Before it is unpacked: a small file may unfold to far more than memory holds."""
    if picture.width * picture.height > MOST_PIXELS:
        raise NotDone("That picture has too many pixels: send a smaller one.", "picture")
