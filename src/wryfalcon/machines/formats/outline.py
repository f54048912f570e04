"""The edges of a planned key as DXF and SVG, millimetres, for checking or for another machine."""

from __future__ import annotations

from io import StringIO

from django.template.loader import render_to_string

from keycore.cutting.plan import Plan


def outlines(plan: Plan) -> dict[str, list[tuple[float, float]]]:
    """Each edge that a tool leaves as points (x from the gauge, y up from the blank's lower edge), millimetres."""
    scale = plan.family.lengths.to_machine(1.0)
    return {curve.name: [(float(x), float(y)) for x, y in curve.points * scale] for curve in plan.shape.view().curves}


def write_dxf(plan: Plan) -> str:
    """A DXF drawing (R2010) with one open polyline on a layer of its own for each edge."""
    import ezdxf  # here, since it takes seconds to load and few pages need it
    from ezdxf import units as dxf_units

    drawing = ezdxf.new("R2010")
    drawing.units = dxf_units.MM
    space = drawing.modelspace()
    for name, points in outlines(plan).items():
        layer = f"TRACK_{name.replace(', ', '_').replace(' ', '_')}"
        drawing.layers.add(layer)
        space.add_lwpolyline(points, dxfattribs={"layer": layer})
    written = StringIO()
    drawing.write(written)
    return written.getvalue()


def write_svg(plan: Plan) -> str:
    """An SVG drawing at exactly 1:1 in millimetres."""
    size = plan.family.kind.view_size(plan.family) or (plan.blank.length, plan.blank.height)
    length, height = (plan.family.lengths.to_machine(each) for each in size)
    paths = {name: " ".join(f"{x:.4f},{height - y:.4f}" for x, y in points) for name, points in outlines(plan).items()}
    return render_to_string("machines/outline.svg", {"length": length, "height": height, "paths": paths})
