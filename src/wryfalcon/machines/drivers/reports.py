"""What a machine may say on its line, checked field by field: nothing else is believed."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal, TypeVar

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field, StringConstraints, ValidationError

from wryfalcon.machines.drivers.interface import Heard, MachineEvent, MachineNonsense, Odd, Status, Whereabouts

VERSION = 3
RAW_KEPT = 1_000
MOST_NUMBER = 10**15
Name = Annotated[str, StringConstraints(max_length=60)]
Count = Annotated[int, Field(ge=0, le=MOST_NUMBER)]


class _Told(BaseModel):
    model_config = ConfigDict(strict=True, allow_inf_nan=False, frozen=True)


class StatusTold(_Told):
    """How a machine is."""

    log: Annotated[str, StringConstraints(min_length=1, max_length=40)]
    state: Literal[
        "unhomed", "idle", "loaded", "cutting", "held", "turn", "index", "tool", "stalled", "stopped", "done"
    ]
    lid: Literal["open", "closed"]
    job: Name | None
    client: Name | None
    cut: Count
    of: Count
    share: Annotated[float, Field(ge=0, le=1)]
    last: Count


class EventTold(_Told):
    """One entry of a machine's log; what else it carries depends on its kind."""

    model_config = ConfigDict(strict=True, allow_inf_nan=False, frozen=True, extra="allow")

    n: Annotated[int, Field(ge=1, le=MOST_NUMBER)]
    at: AwareDatetime
    kind: Annotated[str, StringConstraints(min_length=1, max_length=20)]
    job: Name | None
    cut: Count | None = None
    freed: bool | None = None
    reason: Name | None = None
    then: Name | None = None
    order: Name | None = None


class Answer(_Told):
    """The envelope of every answer."""

    v: Literal[3]
    id: Name | None
    ok: bool
    error: Annotated[str, StringConstraints(max_length=2_000)] | None
    time: AwareDatetime
    status: StatusTold
    result: Any = None


class Entries(_Told):
    """What comes of asking for the log; each entry is looked at by itself, so that one bad one hides no other."""

    events: list[Any]
    more: bool


class FoundTold(_Told):
    """What comes of asking for a key."""

    where: Literal["clamp", "aside", "tray", "unknown"]
    cut: Count
    of: Count


Millimetres = Annotated[float, Field(gt=-1_000, lt=1_000)]


class ReadingTold(_Told):
    """What comes of reading a cut with the caliper."""

    value: Millimetres
    position: Millimetres


class TouchTold(_Told):
    """What comes of touching a face off: where it touched at either end, and how far those are apart."""

    near: Millimetres
    far: Millimetres
    apart: Annotated[float, Field(gt=0, lt=1_000)]


def read_answer(line: bytes, request: str) -> Answer:
    """An answer's envelope, which must be the answer to this request. Raises MachineNonsense."""
    try:
        answer = Answer.model_validate_json(line)
    except ValidationError as error:
        raise MachineNonsense(f"It answered what cannot be so: {_first(error)}", _beginning(line)) from None
    if answer.id != request:
        raise MachineNonsense("It answered another question than it was asked", _beginning(line))
    return answer


def read_heard(answer: Answer, after: int, client: str, now: datetime) -> Heard:
    """The log and status of an answer. Raises MachineNonsense where the two do not agree."""
    entries, status = _part(Entries, answer.result), answer.status
    events, odd = [], []
    for told in entries.events:
        try:
            events.append(_event(EventTold.model_validate(_as_json(told))))
        except ValidationError as error:
            odd.append(Odd(f"An entry of its log cannot be so: {_first(error)}", str(told)[:RAW_KEPT]))
            events += _in_its_place(told, answer.time)
    last = max((event.number for event in events), default=after)
    if (status.last < last and events) or (not entries.more and status.last > last):
        says = f"It says that its log ends at {status.last}, and tells entries to {last}"
        raise MachineNonsense(says, status.model_dump_json())
    if entries.more and last == after:
        raise MachineNonsense("It says that its log goes on, and tells nothing of it", status.model_dump_json())
    if status.cut > status.of or (status.job is None and status.of):
        raise MachineNonsense(f"It says {status.cut} of {status.of} cuts are done", status.model_dump_json())
    return Heard(
        events=tuple(events),
        more=entries.more,
        status=status_of(status, client),
        clock_off=(answer.time - now).total_seconds(),
        odd=tuple(odd),
    )


def _in_its_place(told: Any, at: datetime) -> list[MachineEvent]:
    """What stands in the log for an entry that cannot be so but for its number, so that what follows is read."""
    number = told.get("n") if isinstance(told, dict) else None
    is_number = isinstance(number, int) and not isinstance(number, bool) and 1 <= number <= MOST_NUMBER
    return [MachineEvent(number, "odd", None, at)] if is_number and number is not None else []


def _as_json(told: Any) -> Any:
    """An entry whose time is read as JSON reads it, from its text alone."""
    if not isinstance(told, dict) or not isinstance(told.get("at"), str):
        return told
    try:
        return {**told, "at": datetime.fromisoformat(told["at"])}
    except ValueError:
        return told


def status_of(told: StatusTold, client: str) -> Status:
    """A status as the rest of the application has it."""
    return Status(
        log=told.log,
        state=told.state,
        lid_open=told.lid == "open",
        job=told.job,
        is_ours=told.client == client,
        cut=told.cut,
        of=told.of,
        share=told.share,
        last_event=told.last,
    )


def read_found(answer: Answer) -> Whereabouts:
    """Where a key is. Raises MachineNonsense."""
    found = _part(FoundTold, answer.result)
    if found.cut > found.of or (found.where == "tray" and (found.cut < found.of or not found.of)):
        raise MachineNonsense(
            f"It has a key with {found.cut} of {found.of} cuts in its {found.where}", str(answer.result)
        )
    return Whereabouts(found.where, found.cut, found.of)


def read_reading(answer: Answer) -> dict[str, float]:
    """One reading of the caliper, mm. Raises MachineNonsense."""
    return _part(ReadingTold, answer.result).model_dump(exclude_none=True)


def read_touch(answer: Answer) -> dict[str, float]:
    """Where a face was touched, mm. Raises MachineNonsense."""
    return _part(TouchTold, answer.result).model_dump()


Part = TypeVar("Part", bound=_Told)


def _part(kind: type[Part], result: Any) -> Part:
    try:
        return kind.model_validate(result)
    except ValidationError as error:
        raise MachineNonsense(f"It answered what cannot be so: {_first(error)}", str(result)[:RAW_KEPT]) from None


def _event(told: EventTold) -> MachineEvent:
    data = told.model_dump(exclude={"n", "at", "kind", "job", "order"}, exclude_none=True, mode="json")
    return MachineEvent(told.n, told.kind, told.job, told.at, data, told.order or "")


def _first(error: ValidationError) -> str:
    """The first thing that is wrong, and where; never what came, which may be anything."""
    wrong = error.errors(include_url=False, include_input=False)[0]
    where = ".".join(str(part) for part in wrong["loc"])[:80]
    return f"{where or 'the answer'}: {wrong['msg'][:120].lower()}"


def _beginning(line: bytes) -> str:
    return line[:RAW_KEPT].decode("utf-8", "replace")
