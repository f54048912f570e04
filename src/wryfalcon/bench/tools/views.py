"""Keys of the shop's own: who holds which, making a set, handing one on, destroying one."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_safe

from wryfalcon.accounts.models import User
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.models import ShopTool
from wryfalcon.bench.reading.actions import labels_typed
from wryfalcon.bench.tools.actions import destroy_tool, hand_tool_on, make_depth_keys, make_test_key
from wryfalcon.bench.tools.forms import SMITHS, HolderForm, ToolForm
from wryfalcon.fields import WORD, posted
from wryfalcon.library.models import FamilyRecord
from wryfalcon.machines.line.press import press_of
from wryfalcon.presses import press
from wryfalcon.refusal import NotDone


@require_safe
@needs(Act.LOOK)
def tools(request: PersonRequest) -> HttpResponse:
    """Every one there is, and those that are gone."""
    families = FamilyRecord.objects.in_force().filter(restricted=False)
    context = {
        "tools": ShopTool.objects.select_related("family_record", "holder", "destroyed_by"),
        "families": [(each.pk, each.name) for each in families if len(each.family.tracks) == 1],
        "smiths": [(each.pk, str(each)) for each in User.objects.filter(role__in=SMITHS, is_active=True)],
        "wanted": request.GET.get("family", ""),
    }
    return render(request, "bench/tools/tools.html", context)


@press
@needs(Act.CUT)
def make(request: PersonRequest) -> HttpResponse:
    """A set of depth keys, or a test key of the bitting typed."""
    said = ToolForm.of(request)
    record = said["family"]
    if said["set"]:
        make_depth_keys(press_of(request), record)
        return redirect("bench:tools")
    labels = labels_typed(record.family.tracks[0], said["bitting"])
    if None in labels:
        raise NotDone("A test key has a depth at every cut.")
    make_test_key(press_of(request), record, [label for label in labels if label is not None])
    return redirect("bench:tools")


@press
@needs(Act.CUT)
def change(request: PersonRequest, pk: int) -> HttpResponse:
    """Hand one on, or destroy it."""
    tool = get_object_or_404(ShopTool, pk=pk)
    if "destroy" in request.POST:
        destroy_tool(request.user, tool, posted(request, how=WORD)["how"])
        return redirect("bench:tools")
    hand_tool_on(request.user, tool, HolderForm.of(request)["holder"])
    return redirect("bench:tools")
