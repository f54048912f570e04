"""Two presses at once, of every form there is: what one does is done once, or twice where that is meant, and why.

The race is forced: a third connection holds the write lock until both have read and wait to write.
"""

from __future__ import annotations

import re
import shutil
import sqlite3
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from random import Random
from threading import Event, Thread
from types import SimpleNamespace
from typing import Any

import pytest
from django.db import connection, connections
from django.test import Client
from django.utils import timezone
from pytest_django import DjangoDbBlocker

from web.jobs import carded, hang, settled
from web.odd_posts import Form, Walk
from wryfalcon.accounts.models import User
from wryfalcon.bench.cutting.by_hand import HandWork, begin_by_hand
from wryfalcon.demonstration.making import bitting_of, family_record, finished_key
from wryfalcon.machines.line.orders import Press
from wryfalcon.machines.models import Machine, MachineWork, Trim

A_LOOK = "who looks at bittings is kept, each time"
THE_SAME_AGAIN = "it says the same again: the second changes nothing but who said it last"
ONE_MORE = "it adds: without the key of the form nobody can tell a second press from a second look"
THE_LAST_COUNTS = "each is kept, the last counts, and both say the same"

BOTH = {
    "/accounts/prefer": THE_SAME_AGAIN,
    "/codes/N/codes.csv": A_LOOK,
    "/codes/N/codes.json": A_LOOK,
    "/codes/N/codes.xlsx": A_LOOK,
    "/tags/N/prove/N/why.json": A_LOOK,
    "/tags/N/read/N/look": ONE_MORE,
    "/library/blanks/N": THE_SAME_AGAIN,
    "/library/guide/rows/N": THE_SAME_AGAIN,
    "/machines/N/care": ONE_MORE,
    "/machines/N/cutter": ONE_MORE,
    "/machines/N/describe": THE_SAME_AGAIN,
    "/machines/N/duplicates": A_LOOK,
    "/machines/N/followers/N/fit": THE_SAME_AGAIN,
    "/machines/N/panel": "what hands do at the simulated machine, they may do twice",
    "/machines/N/touch/showed": ONE_MORE,
    "/machines/N/trim": ONE_MORE,
    "/machines/hands": ONE_MORE,
    "/machines/trims/N/caliper": THE_SAME_AGAIN,
    "/records/": A_LOOK,
    "/records/again/N": ONE_MORE,
    "/tags/N/codes": A_LOOK,
    "/tags/N/copying": THE_SAME_AGAIN,
    "/tags/N/copying/brief": THE_SAME_AGAIN,
    "/tags/N/cut/at/N": ONE_MORE,
    "/tags/N/job-card.pdf": A_LOOK,
    "/tags/N/prove/N/beside": THE_SAME_AGAIN,
    "/tags/N/prove/N/try": THE_SAME_AGAIN,
    "/tags/N/prove/N/verdict": THE_SAME_AGAIN,
    "/tags/N/take-in": THE_SAME_AGAIN,
    "/tags/N/read/N/change": "a switch: two presses are there and back",
    "/tags/N/read/N/grid": ONE_MORE,
    "/tags/N/read/N/labels": ONE_MORE,
    "/tags/N/read/N/stage": ONE_MORE,
    "/tags/N/read/describe": THE_SAME_AGAIN,
    "/tags/N/read/mark": ONE_MORE,
    "/tags/N/read/sources": ONE_MORE,
    "/tags/N/record.json": A_LOOK,
    "/tags/N/set-up/choose": THE_LAST_COUNTS,
    "/tags/N/set-up/plan.dxf": A_LOOK,
    "/tags/N/set-up/plan.nc": A_LOOK,
    "/tags/N/set-up/plan.svg": A_LOOK,
    "/tags/N/settle/fill": THE_LAST_COUNTS,
    "/tags/N/settle/keep": THE_LAST_COUNTS,
    "/tags/N/settle/overrule": THE_LAST_COUNTS,
    "/tags/N/tries/learned": ONE_MORE,
    "/tags/N/tries/manner": THE_SAME_AGAIN,
    "/tags/new": ONE_MORE,
    "/tags/new/copy": ONE_MORE,
    "/tools/make": ONE_MORE,
}
"""What two presses without a form's own key do twice, and why they may. Every other form is done once."""
SLOW = ("xlsx", ".pdf")  # looks like the others, and slow to make
TYPED = {
    "title": "A key for the shed", "customer": "Saltmarsh Players", "quantity": "1", "note": "none",
    "authority": "shown a letter", "why_declined": "no such blank", "typed": "7.65 mm", "known": "5.000",
    "read": "5.002", "why": "seen so", "reason": "seen so", "name": "another", "how": "cut through",
    "readings": "0.301 0.302 0.303", "v1": "7.1 mm", "label": "3",
}  # fmt: skip
OTHER_EACH_TIME = re.compile(r"\d{4}-\d\d-\d\d[T ][\d:.]+|[0-9a-f-]{32,36}|\b[0-9a-f]{10,12}\b|\b\d{4}-[A-Z]\d+-[\w-]+")
LARGE = ("codes_code", "codes_column", "codes_names", "library_familyrecord", "machines_lineevent")
OWN_TABLES = ("records_entrytaken", "django_session", "sqlite_sequence")


@pytest.fixture(scope="module")
def shop(
    tmp_path_factory: pytest.TempPathFactory, demonstration_database: Path, django_db_blocker: DjangoDbBlocker
) -> Iterator[Path]:
    """The demonstration's database in a file of its own, with a key at every further stage."""
    file, given = tmp_path_factory.mktemp("shop") / "shop.sqlite3", connections.settings["default"]["NAME"]
    shutil.copy(demonstration_database, file)
    with django_db_blocker.unblock():
        use(file)
        further_tags()
        connection.close()
        yield file
        use(given)


def use(file: Path | str) -> None:
    """Every thread's connection goes to this file from now on."""
    connection.close()
    connections.settings["default"]["NAME"] = connection.settings_dict["NAME"] = str(file)


def further_tags() -> None:
    """Keys ready to be cut, made and not proven, begun by hand; a lock read in several ways."""
    people = {person.username: person for person in User.objects.all()}
    gannet, harbour = Machine.objects.get(name="Old Gannet"), family_record("harbour-five")
    fitted, worked = gannet.fitted, MachineWork.objects.latest("pk").pk
    for stage in ("settled", "carded", "finished", "by hand"):
        tag = hang(people, family=harbour)
        settled(people, tag, bitting_of(harbour.family, Random(stage)))
        if stage != "settled":
            carded(people, tag, gannet)
        if stage == "finished":
            finished_key(tag, timezone.now())
        if stage == "by hand":
            begin_by_hand(Press(people["tam"]), tag, HandWork("filed"))
    Machine.objects.filter(pk=gannet.pk).update(fitted=fitted)  # nothing was done to it since its trim was measured
    MachineWork.objects.filter(pk__gt=worked).delete()


Row = tuple[str, ...]


@dataclass(frozen=True)
class Came:
    """What one or two presses did: every row of every table afterwards, and the answers."""

    whole: dict[str, list[Row]]
    answers: tuple[int, ...]

    @property
    def rows(self) -> dict[str, int]:
        return {name: len(rows) for name, rows in self.whole.items()}


def rows_of(file: Path) -> dict[str, int]:
    return {name: len(rows) for name, rows in rows_as_they_stand(file).items()}


def rows_as_they_stand(file: Path) -> dict[str, list[Row]]:
    """Every row of every table, but for moments and what is drawn at random."""
    with closing(sqlite3.connect(file)) as database:
        tables = [name for (name,) in database.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
        found = {
            name: database.execute(f'SELECT {"id" if name in LARGE else "*"} FROM "{name}"').fetchall()
            for name in tables
            if name not in OWN_TABLES
        }
    return {name: sorted(map(_without_moments, rows)) for name, rows in found.items()}


@lru_cache(None)
def _without_moments(row: tuple[Any, ...]) -> Row:
    """A row as text; nearly every row is there again after the next press."""
    return tuple(OTHER_EACH_TIME.sub("…", str(value)) for value in row)


@dataclass
class Presses:
    """Presses forms on copies of a shop, as one person."""

    shop: Path
    cookies: Any

    def once(self, form: Form) -> Came:
        copy = self._copied()
        answers: list[int] = []
        one = Thread(target=self._press, args=(form, answers, Event(), False))
        one.start()
        one.join()
        return Came(rows_as_they_stand(copy), tuple(answers))

    def twice(self, form: Form, *, keyed: bool) -> Came:
        """Both at once: neither writes before the other has read."""
        copy = self._copied()
        answers: list[int] = []
        waiting = [Event(), Event()]
        both = [Thread(target=self._press, args=(form, answers, each, keyed)) for each in waiting]
        with closing(sqlite3.connect(copy, isolation_level=None)) as holder:
            holder.execute("BEGIN IMMEDIATE")
            for each in both:
                each.start()
            for event in waiting:
                assert event.wait(20)
            holder.execute("ROLLBACK")
        for each in both:
            each.join()
        return Came(rows_as_they_stand(copy), tuple(sorted(answers)))

    def _copied(self) -> Path:
        copy = self.shop.with_name("copy.sqlite3")
        for ending in ("-wal", "-shm"):
            copy.with_name(f"{copy.name}{ending}").unlink(missing_ok=True)
        shutil.copy(self.shop, copy)
        use(copy)
        return copy

    def _press(self, form: Form, answers: list[int], waits: Event, keyed: bool) -> None:
        client = Client(raise_request_exception=False)
        client.cookies = self.cookies
        posted: dict[str, str] = {}
        for name, value in form.fields:
            if keyed or name not in ("entry", "press"):
                posted.setdefault(name, value or TYPED.get(name, ""))

        def notice(execute: Any, sql: str, *rest: Any) -> Any:
            if sql.startswith(("BEGIN", "INSERT", "UPDATE", "DELETE")):
                waits.set()
            return execute(sql, *rest)

        try:
            with connection.execute_wrapper(notice):
                answers.append(client.post(form.action, posted).status_code)
        finally:
            waits.set()
            connection.close()


def between(one: Came, two: Came) -> dict[str, list[Row]]:
    """The rows that only one of the two has."""
    return {
        name: [row for row in one.whole[name] + two.whole[name] if (row in one.whole[name]) != (row in two.whole[name])]
        for name in one.whole
        if one.whole[name] != two.whole[name]
    }


def where(form: Form) -> str:
    return re.sub(r"\d+", "N", form.action.split("?")[0])


@pytest.fixture
def owner(shop: Path) -> Client:
    use(shop)
    client = Client()
    client.force_login(User.objects.get(username="orla"))
    return client


@pytest.fixture
def hand(shop: Path, owner: Client) -> Presses:
    connection.close()
    return Presses(shop, owner.cookies)


def forms_from(owner: Client, start: str, most: int) -> list[Form]:
    """The forms of the pages that links lead to."""
    walk = Walk(owner, each=30, asked=8).go(start, most)
    connection.close()
    assert [str(fault) for fault in walk.faults if "took" not in fault.came] == []  # how quick is not asked here
    return [walk.forms[pattern] for pattern in sorted(walk.forms)]


def test_two_presses_at_once_are_done_once_or_twice_as_the_table_says(
    hand: Presses, owner: Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    began = timezone.now()  # a look is noted once an hour: all of this is one hour's
    monkeypatch.setattr("wryfalcon.log.actions.timezone", SimpleNamespace(now=lambda: began))
    forms = forms_from(owner, "/", 1500)
    assert len(forms) > 120
    before, did, wrong, seen = rows_as_they_stand(hand.shop), 0, [], set()
    for form in forms:
        if form.action.endswith(SLOW):
            continue
        seen.add(where(form))
        one = hand.once(form)
        did += one.whole != before
        two = hand.twice(form, keyed=False)
        if two.whole != one.whole and where(form) not in BOTH:
            wrong.append(f"{form.action} was done twice: {between(one, two)}")
        if max(one.answers + two.answers) >= 500:
            wrong.append(f"{form.action} answered {one.answers} and {two.answers}")
        if two.whole == one.whole or BOTH.get(where(form)) == A_LOOK:
            continue
        keyed = hand.twice(form, keyed=True)
        if keyed.whole != one.whole or max(keyed.answers) >= 500:
            wrong.append(f"{form.action}, one form, was taken twice: {between(one, keyed)}")
    assert not wrong, "\n".join(wrong)
    assert did > 60
    assert {path for path in BOTH if not path.endswith(SLOW)} <= seen


def closing_of_the_trim(owner: Client) -> Form:
    forms = forms_from(owner, f"/machines/trims/{Trim.objects.get(machine__name='Old Gannet').pk}", 1)
    return next(form for form in forms if where(form) == "/machines/trims/N/close" and "apply" in form.names)


def test_two_presses_of_apply_put_one_adjustment_in_force(hand: Presses, owner: Client) -> None:
    close = closing_of_the_trim(owner)
    one, two = hand.once(close), hand.twice(close, keyed=False)
    assert one.rows["machines_offsetchange"] == rows_of(hand.shop)["machines_offsetchange"] + 1
    assert two.rows == one.rows


def test_what_the_keys_say_is_put_in_force_as_it_was_seen(hand: Presses, owner: Client) -> None:
    close = closing_of_the_trim(owner)
    stale = Form(close.action, close.method, tuple((n, "0.1:0.1" if n == "seen" else v) for n, v in close.fields))
    assert hand.once(stale).rows["machines_offsetchange"] == rows_of(hand.shop)["machines_offsetchange"]


def test_another_value_in_the_same_form_is_another_entry(hand: Presses, owner: Client) -> None:
    """The page goes back, and the form is filled in otherwise: it is not taken for the one before."""
    (new,) = [form for form in forms_from(owner, "/tags/new/copy", 1) if where(form) == "/tags/new/copy"]
    client = Client()
    client.cookies = hand.cookies
    hand._copied()
    tags = rows_of(hand.shop)["bench_tag"]
    posted = {name: value or TYPED.get(name, "") for name, value in new.fields}
    for title, count in (("A key for the shed", 1), ("A key for the shed", 1), ("A key for the boat", 2)):
        answer = client.post(new.action, {**posted, "title": title})
        assert answer.status_code == 302
        connection.close()
        assert rows_of(hand.shop.with_name("copy.sqlite3"))["bench_tag"] == tags + count
