"""The edges of a planned key as DXF and SVG, millimetres, for checking or for another machine."""

from __future__ import annotations

from io import StringIO

from django.template.loader import render_to_string

from keycore.cutting.plan import Plan


def views_of(plan: Plan) -> list[str]:
    """The names of the views that there are files of, the most telling first."""
    return [view.name for view in plan.shape.views]


def outlines(plan: Plan, view: str = "") -> dict[str, list[tuple[float, float]]]:
    """Each edge that a tool leaves as points in a view, by its name the first without one, millimetres.

    In an elevation x is the distance from the gauge, y the height above the blank's lower edge.
    """
    scale = plan.family.lengths.to_machine(1.0)
    return {
        curve.name: [(float(x), float(y)) for x, y in curve.points * scale] for curve in plan.shape.view(view).curves
    }


def write_dxf(plan: Plan, view: str = "") -> str:
    """A DXF drawing (R2010) with one open polyline on a layer of its own for each edge."""
    import ezdxf  # here, since it takes seconds to load and few pages need it
    from ezdxf import units as dxf_units

    drawing = ezdxf.new("R2010")
    drawing.units = dxf_units.MM
    space = drawing.modelspace()
    for name, points in outlines(plan, view).items():
        layer = f"TRACK_{name.replace(', ', '_').replace(' ', '_')}"
        drawing.layers.add(layer)
        space.add_lwpolyline(points, dxfattribs={"layer": layer})
    written = StringIO()
    drawing.write(written)
    return written.getvalue()


def write_svg(plan: Plan, view: str = "") -> str:
    """An SVG drawing at exactly 1:1 in millimetres."""
    length, height = (plan.family.lengths.to_machine(each) for each in _size(plan, view))
    paths = {
        name: " ".join(f"{x:.4f},{height - y:.4f}" for x, y in points) for name, points in outlines(plan, view).items()
    }
    return render_to_string("machines/outline.svg", {"length": length, "height": height, "paths": paths})


def _size(plan: Plan, view: str) -> tuple[float, float]:
    """How large a view is, family unit."""
    if view in ("", plan.shape.view().name):
        return plan.family.kind.view_size(plan.family) or (plan.blank.length, plan.blank.height)
    wide, high = plan.shape.view(view).blank.max(axis=0)
    return float(wide), float(high)
