"""What families of lever keys have of their own: the bit, the bolt's step, the levers and the clearance beside them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field

from keycore.documents.kinds import DocumentPart, LockField, LockForm
from keycore.documents.kinds.rotary import UnstyledPlanModel
from keycore.documents.models.base import MOST_DEPTHS, MOST_SPACES, MOST_TRACKS, Document, Positive
from keycore.documents.models.family import FamilyModel, TrackModel
from keycore.errors import InputError
from keycore.kinds.lever import Bit, Bolt, Levers
from keycore.tools import File

Length = Annotated[float, Field(ge=0, le=10_000)]


class BoltModel(Document):
    """The bolt's own step of the bit."""

    model_config = ConfigDict(populate_by_name=False)
    start: Annotated[Length, Field(alias="from")]
    end: Annotated[Length, Field(alias="to")]
    value: Positive


class BitModel(Document):
    """The bit: heights from the axis of the stem, the stem as a radius."""

    height: Positive
    length: Positive
    thickness: Positive
    stem: Positive
    bore: Positive | None = None
    bolt: BoltModel | None = None


class OneLeverModel(Document):
    """A lever."""

    thickness: Positive


class LeverTrackModel(TrackModel):
    """The steps of a bit."""

    levers: Annotated[list[OneLeverModel], Field(min_length=1, max_length=MOST_SPACES)] | None = None
    clearance: Length | None = None


class LeverFamilyModel(FamilyModel):
    """A family of lever keys."""

    kind: Literal["lever"]
    tracks: Annotated[list[LeverTrackModel], Field(min_length=1, max_length=MOST_TRACKS)]  # type: ignore[assignment]
    bit: BitModel | None = None


def bit(model: Any) -> Bit | None:
    """The bit of a checked family document, the ``model``; None without one. Raises nothing."""
    if model.bit is None:
        return None
    said = model.bit
    bolt = Bolt(said.bolt.start, said.bolt.end, said.bolt.value) if said.bolt else None
    return Bit(said.height, said.length, said.thickness, said.stem, said.bore, bolt)


def levers(model: Any) -> Levers | None:
    """The levers of a checked track, the ``model``; None without any. Raises nothing."""
    if model.levers is None:
        return None
    return Levers(tuple(each.thickness for each in model.levers), model.clearance)


LOCK_FIELDS = (
    LockField("height", "Bit: height from the stem’s axis"),
    LockField("length", "Bit: length along it"),
    LockField("thickness", "Bit: thickness"),
    LockField("stem", "Stem: diameter"),
    LockField("bore", "Bore of the barrel, if hollow", is_optional=True),
    LockField("bolt", "Bolt’s step begins at, if there is one", is_optional=True),
    LockField("levers", "Thickness of each lever, from the stop on", is_many=True),
    LockField("gaps", "From the stop to the first, then each spacer", is_many=True),
    LockField("clearance", "Clearance beside a lever", usual="0.1 mm"),
    LockField("top", "Highest step, from the axis"),
    LockField("step", "Steps fall by", usual="0.5 mm"),
    LockField("count", "How many steps", is_count=True, usual="5"),
)
"""What stands there until it is measured is common practice, no source."""


def lock_document(name: str, title: str, blank: str, said: Mapping[str, tuple[float, ...]]) -> dict[str, Any]:
    """A family of one as a document: where each lever is, from the stop, and the heights its steps may have.

    The middle of a lever is half its thickness beyond its face; faces are the gaps and thicknesses before it added up.
    Arguments: its id ``name``, its ``title``, the ``blank``'s code, and what was ``said`` by field, (n,) mm each.
    Raises InputError for another number of gaps than of levers, and for heights that do not fall.

    >>> one = {"height": (9.0,), "length": (9.0,), "thickness": (2.5,), "stem": (6.0,), "bore": (), "bolt": (),
    ...     "levers": (1.0, 1.2), "gaps": (0.8, 0.5), "clearance": (0.1,), "top": (8.5,), "step": (0.5,), "count": (2,)}
    >>> lock_document("gate", "Gate", "B", one)["tracks"][0]["spaces"]  # 0.8 + 0.5, then 1.8 + 0.5 + 0.6
    [1.3, 2.9]
    """
    thickness, gaps = said["levers"], said["gaps"]
    if len(gaps) != len(thickness):
        says = f"{len(gaps)} for {len(thickness)} levers: the first from the stop, then each spacer"
        raise InputError("gaps", says)
    (height,), (length,), (top,), (step,), (count,) = (
        said[each] for each in ("height", "length", "top", "step", "count")
    )
    if step <= 0 or not 1 <= count <= MOST_DEPTHS:
        raise InputError("step", f"heights fall by more than nothing, 1 to {MOST_DEPTHS} of them")
    spaces, face = [], 0.0
    for gap, thick in zip(gaps, thickness, strict=True):
        face += gap
        spaces.append(round(face + thick / 2, 4))
        face += thick
    heights = [round(top - n * step, 4) for n in range(int(count))]
    bolt = {"from": said["bolt"][0], "to": length, "value": height} if said["bolt"] else None
    return {
        "format": "wry-falcon.family/1", "id": name, "name": title, "kind": "lever", "unit": "mm",
        "gauge": "shoulder", "numbered_from": "bow", "entry": "one", "edition": "measured from one lock",
        "blank": {"code": blank, "height": height, "thickness": said["thickness"][0], "length": length},
        "tracks": [{
            "name": "A", "spaces": spaces, "clearance": said["clearance"][0],
            "levers": [{"thickness": thick} for thick in thickness],
            "depths": [{"label": str(n), "value": value} for n, value in enumerate(heights, start=1)],
        }],
        "bit": {
            "height": height, "length": length, "thickness": said["thickness"][0], "stem": said["stem"][0] / 2,
            "bore": said["bore"][0] if said["bore"] else None, "bolt": bolt,
        },
        "tolerance": {"value": 0.08, "space": 0.1}, "play": {"high": 0.12, "low": 0.12},
        "notes": "One family for one lock. Labels are our own, 1 the shallowest; tolerances are guesses.",
        "source": "measured by this shop, not published",
    }  # fmt: skip


PART = DocumentPart(
    family=LeverFamilyModel,
    plan=UnstyledPlanModel,
    track_tool=lambda model: File(0.0) if model.levers else None,
    plan_tool=lambda model: None,
    track_own=levers,
    family_own=bit,
    lock=LockForm(LOCK_FIELDS, lock_document),
)
