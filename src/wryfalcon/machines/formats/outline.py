"""The profile of a planned key as DXF and SVG, millimetres, for checking or for another machine."""

from __future__ import annotations

from io import StringIO

import numpy as np
from django.template.loader import render_to_string

from keycore.cutting.plan import Plan
from keycore.units import Unit, convert


def outlines(plan: Plan) -> dict[str, list[tuple[float, float]]]:
    """Each track's edge as points (x from the gauge, height of that edge), millimetres."""
    scale = convert(1.0, plan.family.unit, Unit.MILLIMETRE)
    return {
        planned.track.name: [
            (float(x), float(h)) for x, h in np.column_stack([planned.profile.x, planned.profile.h]) * scale
        ]
        for planned in plan.tracks
    }


def write_dxf(plan: Plan) -> str:
    """A DXF drawing (R2010) with one open polyline on a layer of its own for each track."""
    import ezdxf  # here, since it takes seconds to load and few pages need it
    from ezdxf import units as dxf_units

    drawing = ezdxf.new("R2010")
    drawing.units = dxf_units.MM
    space = drawing.modelspace()
    for name, points in outlines(plan).items():
        layer = f"TRACK_{name}"
        drawing.layers.add(layer)
        space.add_lwpolyline(points, dxfattribs={"layer": layer})
    written = StringIO()
    drawing.write(written)
    return written.getvalue()


def write_svg(plan: Plan) -> str:
    """An SVG drawing at exactly 1:1 in millimetres."""
    blank = plan.blank
    scale = convert(1.0, plan.family.unit, Unit.MILLIMETRE)
    length, height = blank.length * scale, blank.height * scale
    paths = {name: " ".join(f"{x:.4f},{height - h:.4f}" for x, h in points) for name, points in outlines(plan).items()}
    return render_to_string("machines/outline.svg", {"length": length, "height": height, "paths": paths})
