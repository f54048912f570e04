"""A trim in a smith's words: what its keys say of each term, the advice, and what the hand does at this machine."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from keycore.machines.trim import Advice, Term
from keycore.machines.trim import Trim as Fit
from wryfalcon.keeping.trimming.queries import TrimState
from wryfalcon.lengths import mm_as_shown, say_mm, unit_shown
from wryfalcon.machines.fittings.presenters import dial_words, turn_words
from wryfalcon.machines.fittings.queries import axes_of

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
    what, error, far = (
        ("Offset across", "Error across", "how far across it lies") if state.is_of_walls
        else ("Depth offset", "Depth error", "how deep it goes")
    )  # fmt: skip
    left = _term(f"Metal left on every wall, {unit}", fit.per_wall, why.get("per_wall", ""), mm_as_shown)
    return (
        _term(f"{what}, {unit}", fit.offset, why.get("offset", ""), mm_as_shown),
        *([left] if state.is_of_walls else []),
        _term(f"{error} for what lies along the blade", fit.per_space, why.get("per_space", "")),
        _term(f"{error} for {far}", fit.per_depth, why.get("per_depth", "")),
        _term(f"Position offset, {unit}", fit.space_offset, why.get("space_offset", ""), mm_as_shown),
        _term("Spacing, for what lies along the blade", fit.space_scale, why.get("space_scale", "")),
        *(_of_drills(state, fit) if state.is_of_holes and state.trim.beside else ()),
    )


def _of_drills(state: TrimState, fit: Fit) -> tuple[ShownTerm, ...]:
    unit, holes = unit_shown(), f"Holes of {state.trim.beside} beside those of {state.trim.track}"
    return (
        _term(f"{holes}: metal left, {unit}", fit.per_drill, fit.left_out.get("per_drill", ""), mm_as_shown),
        _term(f"{holes}: along, {unit}", fit.space_per_drill, fit.left_out.get("space_per_drill", ""), mm_as_shown),
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
    if state.moved:
        return f"Since these keys were measured {state.moved}: begin another trim, with keys cut since."
    if not state.is_enough:
        return NOT_ENOUGH
    if state.odd is not None:
        return _odd(state)
    if state.seats_worse and fit.advice != Advice.ADJUST:
        return SCATTERS
    off = _error(state, fit.offset.value)
    if state.trim.is_check:
        if state.is_true:
            return f"True, as far as one key can tell: {off}."
        again = "Clean the face, lay the blade flat" if state.is_of_walls else "Bottom the blank"
        return f"Not true: {off}. {again} and cut again; if it stays, trim it."
    if state.worn is not None:
        return f"This is not an adjustment: {state.worn}, so look at the wheel and change it."
    if fit.advice == Advice.SERVICE:
        return f"This is not an adjustment: {'; '.join(_beyond(state, fit))}."
    if fit.advice == Advice.ADJUST:
        return f"{_what_is_off(state, fit)}. {by_hand(state)}"
    if state.more_wanted:
        more = f"{state.more_wanted} more clamping{'s' if state.more_wanted > 1 else ''}"
        return f"Leave it alone for now: {off} may be nothing. {more} would settle it."
    return f"Leave it alone: {off}, less than it is worth adjusting or can be told from nothing."


def _odd(state: TrimState) -> str:
    """One clamping that disagrees with the others."""
    assert state.odd is not None
    disagree = f"This is not an adjustment: the clampings disagree, and clamping {state.odd.number}"
    if state.is_of_walls:
        how = "lies below the other" if len(state.clampings) == 2 else "lies away from the others"
        return f"{disagree} {how}. Clean the clamp’s face and the blade, lay it flat against its stop, and cut again."
    if not state.odd_is_deep:
        return (
            f"{disagree} alone is shallow. Nothing leaves metal on one key only: check the measuring, knife edges in "
            "the roots, and the caliper’s zero; if it stays, cut another."
        )
    how = "the deeper" if len(state.clampings) == 2 else "deep, away from the others"
    return f"{disagree} is {how}. Take it back, bottom a blank against the back of the jaw, and cut again."


def _what_is_off(state: TrimState, fit: Fit) -> str:
    parts = []
    if fit.depth_adjust and fit.offset:
        cuts = "Every wall lies" if state.is_of_walls else "It cuts"
        parts.append(f"{cuts} {_error(state, fit.offset.value)}")
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
        if state.is_of_walls:
            steps.append(f"Across{_axis(state, 1)}: add {say_mm(fit.depth_adjust, signed=True)} to the offset")
        else:
            steps.append(f"Depth{_axis(state, 1)}: {turn_words(machine, fit.depth_adjust, state.to_values)}")
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
        square = "touch the clamp’s face off at both ends" if state.is_of_walls else "square the jaw"
        found.append(f"the error grows by {grows} along the blade, so {square} and sight the millings")
    if fit.per_depth and fit.per_depth.excludes_zero:
        grows = say_mm(abs(fit.per_depth.value) * (max(v) - min(v)))
        found.append(f"the error grows by {grows} with depth, so have the depth axis serviced")
    if says := of_tools(state):
        found.append(f"{says[0].lower()}{says[1:].rstrip('.')}")
    if fit.space_scale and fit.space_scale.excludes_zero:
        found.append("the spacing itself is off, so have that axis serviced")
    return found


def _error(state: TrimState, value: float) -> str:
    if state.is_of_walls:
        return f"{say_mm(abs(value))} {'away from' if value > 0 else 'towards'} the reference edge"
    return f"{say_mm(abs(value))} {'shallow' if value > 0 else 'deep'}"


def of_tools(state: TrimState) -> str:
    """What both walls say of the mill, or the holes of two drills of these, "" where they say nothing."""
    if state.is_of_holes and state.fit is not None and not state.moved:
        return " ".join(filter(None, (_off_centre(state, state.fit), _too_long(state, state.fit))))
    if not state.worn_by or state.moved:
        return ""
    if state.worn_by < 0:
        return (
            f"Every wall is cut {say_mm(-state.worn_by / 2)} too far, whichever side its metal is on: the mill is "
            f"{say_mm(-state.worn_by)} larger than was said, or runs out. Measure it across its flutes; no offset "
            "mends it."
        )
    return (
        f"Every wall has {say_mm(state.worn_by / 2)} of metal left, whichever side its metal is on: the mill is worn "
        f"{say_mm(state.worn_by)} smaller. Measure it and put its own diameter in, or a new mill; no offset mends it."
    )


def _off_centre(state: TrimState, fit: Fit) -> str:
    """Which drill's holes are off along the blade beside the other's."""
    apart, first = fit.space_per_drill, fit.space_offset
    if apart is None or first is None or not apart.excludes_zero:
        return ""
    other_alone = not first.excludes_zero or abs(first.value) < abs(first.value + apart.value)
    which, off = (state.trim.beside, apart.value) if other_alone else (state.trim.track, -apart.value)
    way = "from the gauge" if off > 0 else "towards the gauge"
    return (
        f"The holes of {which} alone lie {say_mm(abs(off))} {way}: its drill runs off its centre, or was put in "
        "crooked. Put it in again and drill a flat; no offset mends it."
    )


def _too_long(state: TrimState, fit: Fit) -> str:
    """Whether the other drill is set deeper or less deep than the first."""
    apart = fit.per_drill
    if apart is None or not apart.excludes_zero:
        return ""
    how = "shallower" if apart.value > 0 else "deeper"
    return (
        f"The holes of {state.trim.beside} are {say_mm(abs(apart.value))} {how} than those of {state.trim.track}, "
        "beside what was wanted: set that drill’s length by touch again."
    )
