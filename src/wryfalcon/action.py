"""One way to change a state: in one transaction, on the records as they stand in it, once for each press.

What a page showed, and what a view found before, may be something else by the time that a press is carried out: another
was pressed meanwhile, in another tab or by the same hand. An action therefore reads the records that it is given again,
once nobody else can write, and decides on these. What only adds has no state to tell a second press by: a form carries
the key of the entry that it makes, which is taken once.
"""

from __future__ import annotations

from collections.abc import Callable
from contextvars import ContextVar
from dataclasses import dataclass
from functools import cached_property, wraps
from typing import ParamSpec, TypeVar

from django.core.exceptions import ObjectDoesNotExist
from django.db import transaction
from django.db.models import Model

from wryfalcon.accounts.models import User
from wryfalcon.log.models import EntryTaken
from wryfalcon.refusal import NotDone

Given = ParamSpec("Given")
DoneT = TypeVar("DoneT")


@dataclass
class Entry:
    """What a form enters by its press: told from every other by a digest, and whether it is taken."""

    digest: str
    is_taken: bool = False


class TakenAlready(Exception):
    """The same form with the same in it was taken before: a second press, or one that was sent again."""


ENTRY: ContextVar[Entry | None] = ContextVar("entry", default=None)
_acting: ContextVar[bool] = ContextVar("acting", default=False)


def action(act: Callable[Given, DoneT]) -> Callable[Given, DoneT]:
    """Make a function an action: all of it or nothing, on its records read again inside, once for each press.

    An action within another goes by the records as that one has them.
    """

    @wraps(act)
    def done(*given: Given.args, **named: Given.kwargs) -> DoneT:
        with transaction.atomic():
            if _acting.get():
                return act(*given, **named)
            token = _acting.set(True)
            try:
                entry = _take_entry()
                for each in (*given, *named.values()):
                    if isinstance(each, Model) and each.pk is not None and not isinstance(each, User):
                        _read_again(each)
                came = act(*given, **named)
            finally:
                _acting.reset(token)
        if entry is not None:
            entry.is_taken = True
        return came

    return done


def _take_entry() -> Entry | None:
    """Take what the form enters, in the transaction of its first action. Raises TakenAlready."""
    entry = ENTRY.get()
    if entry is None or entry.is_taken:
        return None
    _, is_new = EntryTaken.objects.get_or_create(digest=entry.digest)
    if not is_new:
        raise TakenAlready
    return entry


def _read_again(record: Model) -> None:
    """A record as it is now, locked where the database locks rows; what was worked out of it before is forgotten."""
    model = type(record)
    try:
        record.refresh_from_db(from_queryset=model._base_manager.select_for_update())
    except ObjectDoesNotExist:
        raise NotDone("It is gone meanwhile: look again.") from None
    for name in [name for name in vars(record) if isinstance(getattr(model, name, None), cached_property)]:
        del vars(record)[name]
