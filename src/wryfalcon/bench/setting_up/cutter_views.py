"""Which cutter for this key, and what a wrong one would do."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe

from keycore.errors import InputError
from wryfalcon.accounts.permissions import Act, PersonRequest, needs
from wryfalcon.bench.setting_up.cutters import cutters_for, drawn_with
from wryfalcon.bench.stage import open_tag, to_stage
from wryfalcon.numbers import whole_number


@require_safe
@needs(Act.LOOK)
def show(request: PersonRequest, number: int) -> HttpResponse:
    """Every cutter of the shop, and the key as the chosen one would leave it."""
    tag = open_tag(request, number)
    settlement = tag.to_cut
    if settlement is None:
        return to_stage(tag, "settle")
    wanted = whole_number(request.GET.get("cutter"))
    try:
        fits = cutters_for(tag, settlement)
        shown = next((fit for fit in fits if fit.cutter.pk == wanted), fits[0] if fits else None)
        key = drawn_with(tag, settlement, shown) if shown else None
    except InputError as error:
        messages.error(request, f"It cannot be drawn: {error.reason}.")
        return to_stage(tag, "settle")
    context = {"tag": tag, "family": tag.family, "fits": fits, "shown": shown, "key": key}
    return render(request, "bench/setting_up/cutters.html", context)
