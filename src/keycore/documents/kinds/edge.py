"""What plans of edge and double-edge keys answer: the profile of every track. They tell no clampings."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from keycore.documents.kinds import DocumentPart

if TYPE_CHECKING:
    from keycore.cutting.plan import TrackPlan


def track_answer(planned: TrackPlan) -> dict[str, Any]:
    """The edge of a track as points, family unit. Raises nothing."""
    from keycore.kinds.edge.cutting import EdgePlan  # here, since a family is checked without arrays

    assert isinstance(planned, EdgePlan)
    return {"profile": [[float(x), float(h)] for x, h in zip(planned.profile.x, planned.profile.h, strict=True)]}


PART = DocumentPart(track_answer=track_answer, tells_clampings=False)
