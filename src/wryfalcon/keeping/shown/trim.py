"""A trim in a smith's words: what its keys say of each term, the advice, and what the hand does at this machine."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from keycore.machines.trim import Advice, Term
from keycore.machines.trim import Trim as Fit
from wryfalcon.keeping.queries.trimming import TrimState
from wryfalcon.lengths import mm_as_shown, say_mm, unit_shown
from wryfalcon.machines.queries.fittings import axes_of
from wryfalcon.machines.sentences import dial_words, turn_words

NOT_ENOUGH = "One clamping cannot tell a badly seated key from a machine out of true: bottom a blank and cut again."
SCATTERS = (
    "Leave it alone for now: the clampings scatter further than this machine’s own keys did. "
    "Clean the jaw, bottom another blank against its back, cut and measure it before anything is judged."
)


@dataclass(frozen=True)
class ShownTerm:
    """A term of a trim as a row of its table: its interval, or why it is not told."""

    name: str
    value: str
    says: str
    is_known: bool = True


def terms_of(state: TrimState) -> tuple[ShownTerm, ...]:
    """What the keys say of each term, in the unit of whoever is looking."""
    fit, unit = state.fit, unit_shown()
    if fit is None:
        return ()
    why = fit.left_out
    return (
        _term(f"Depth offset, {unit}", fit.offset, why.get("offset", ""), mm_as_shown),
        _term("Depth error for what lies along the blade", fit.per_space, why.get("per_space", "")),
        _term("Depth error for how deep it goes", fit.per_depth, why.get("per_depth", "")),
        _term(f"Position offset, {unit}", fit.space_offset, why.get("space_offset", ""), mm_as_shown),
        _term("Spacing, for what lies along the blade", fit.space_scale, why.get("space_scale", "")),
    )


def _ratio(number: float, places: int = 4) -> str:
    return f"{number:.{places}f}".replace("-", "\N{MINUS SIGN}")


def _term(name: str, term: Term | None, why: str, show: Callable[[float, int], str] = _ratio) -> ShownTerm:
    if term is None:
        return ShownTerm(name, "–", why, is_known=False)
    return ShownTerm(name, show(term.value, 4), f"{show(term.low, 4)} to {show(term.high, 4)}")


def advice_of(state: TrimState) -> str:
    """What to do about a trim as it stands."""
    fit = state.fit
    if fit is None or fit.offset is None:
        return "Nothing is measured yet."
    if not state.is_enough:
        return NOT_ENOUGH
    if state.odd is not None:
        return _odd(state)
    if state.seats_worse and fit.advice != Advice.ADJUST:
        return SCATTERS
    off = _error(fit.offset.value)
    if state.trim.is_check:
        if state.is_true:
            return f"True, as far as one key can tell: {off}."
        return f"Not true: {off}. Bottom the blank and cut again; if it stays, trim it."
    if state.worn is not None:
        return f"This is not an adjustment: {state.worn}, so look at the wheel and change it."
    if fit.advice == Advice.SERVICE:
        return f"This is not an adjustment: {'; '.join(_beyond(state, fit))}."
    if fit.advice == Advice.ADJUST:
        return f"{_what_is_off(fit)}. {by_hand(state)}"
    if state.more_wanted:
        more = f"{state.more_wanted} more clamping{'s' if state.more_wanted > 1 else ''}"
        return f"Leave it alone for now: {off} may be nothing. {more} would settle it."
    return f"Leave it alone: {off}, less than it is worth adjusting or can be told from nothing."


def _odd(state: TrimState) -> str:
    """One clamping that disagrees with the others."""
    assert state.odd is not None
    disagree = f"This is not an adjustment: the clampings disagree, and clamping {state.odd.number}"
    if not state.odd_is_deep:
        return (
            f"{disagree} alone is shallow. Nothing leaves metal on one key only: check the measuring, knife edges in "
            "the roots, and the caliper’s zero; if it stays, cut another."
        )
    how = "the deeper" if len(state.clampings) == 2 else "deep, away from the others"
    return f"{disagree} is {how}. Take it back, bottom a blank against the back of the jaw, and cut again."


def _what_is_off(fit: Fit) -> str:
    parts = []
    if fit.depth_adjust and fit.offset:
        parts.append(f"It cuts {_error(fit.offset.value)}")
    if fit.space_adjust and fit.space_offset:
        way = "from the gauge" if fit.space_offset.value > 0 else "towards the gauge"
        parts.append(f"the cuts sit {say_mm(abs(fit.space_offset.value))} {way}")
    return " and ".join(parts)


def by_hand(state: TrimState) -> str:
    """What the hand does at this machine, "" for nothing."""
    fit, machine, steps = state.fit, state.trim.machine, []
    if fit is None:
        return ""
    if fit.depth_adjust:
        sign = 1.0 if state.falls_when_deeper else -1.0
        steps.append(f"Depth{_axis(state, 1)}: {turn_words(machine, fit.depth_adjust, sign)}")
    if fit.space_adjust:
        dial = dial_words(machine.space_dial, fit.space_adjust)
        add = f"add {say_mm(fit.space_adjust, signed=True)} to the offset{dial}"
        steps.append(f"Along the blade{_axis(state, 0)}: {add}")
    return ". ".join(steps) + "." if steps else ""


def _axis(state: TrimState, place: int) -> str:
    """Which axis does it, where the clamp is not the machine's own jaw."""
    side = state.trim.jaw_side
    axes = axes_of(state.trim.machine, side)
    axis = (axes.space, axes.depth)[place]
    return "" if side is None else f", axis {axis} for {side}"


def _beyond(state: TrimState, fit: Fit) -> list[str]:
    """What no adjustment mends."""
    found = []
    x = [state.family.space.to_machine(cut.position) for cut in state.planned]
    v = [state.family.depth.to_machine(cut.value) for cut in state.planned]
    if fit.per_space and fit.per_space.excludes_zero:
        grows = say_mm(abs(fit.per_space.value) * (max(x) - min(x)))
        found.append(f"the error grows by {grows} along the blade, so square the jaw and sight the millings")
    if fit.per_depth and fit.per_depth.excludes_zero:
        grows = say_mm(abs(fit.per_depth.value) * (max(v) - min(v)))
        found.append(f"the error grows by {grows} with depth, so have the depth axis serviced")
    if fit.space_scale and fit.space_scale.excludes_zero:
        found.append("the spacing itself is off, so have that axis serviced")
    return found


def _error(value: float) -> str:
    return f"{say_mm(abs(value))} {'shallow' if value > 0 else 'deep'}"
