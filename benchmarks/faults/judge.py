"""What was done to metal, by the machine's ledger, against what the shop's database believes.

Read with nothing of the application: the ledger is a file of JSON lines (docs/machine-protocol.md), the
database is asked in SQL.
"""

from __future__ import annotations

import json
import sqlite3
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any


@dataclass
class Judgement:
    """What is wrong, in words, by sort; all empty is good."""

    losses: list[str] = field(default_factory=list)  # a key wanted and made that the database does not have made
    doubles: list[str] = field(default_factory=list)  # metal cut twice, an entry recorded twice
    stuck: list[str] = field(default_factory=list)  # a tag that did not come to its end
    uncounted: list[str] = field(default_factory=list)  # a blank, an entry or a press that is not written down
    keys: int = 0
    touched_up: int = 0

    @property
    def wrong(self) -> int:
        """How many things are wrong."""
        return len(self.losses) + len(self.doubles) + len(self.stuck) + len(self.uncounted)

    @property
    def says(self) -> str:
        """The counts on one line."""
        return (
            f"{self.keys} keys, {self.touched_up} of them touched up: {len(self.losses)} lost, {len(self.doubles)} "
            f"doubled, {len(self.stuck)} stuck, {len(self.uncounted)} uncounted"
        )


def judge(folder: Path, blanks: int, acknowledged: Sequence[str] = ()) -> Judgement:
    """Judge a shop by its folder: ``blanks`` hung on each hook at first, presses that were acknowledged."""
    found = Judgement()
    ledger = _lines(folder / "machine-ledger.jsonl")
    memory = [entry["event"] for line in _lines(folder / "machine-memory.jsonl") for entry in line.get("entries", ())]
    with closing(sqlite3.connect(folder / "wry-falcon.sqlite3")) as database:
        database.row_factory = sqlite3.Row
        _is_whole(database, found)
        begun = _metal(ledger, found)
        _pieces(database, begun, found)
        _blanks(database, ledger, blanks, found)
        _entries(database, memory, found)
        _presses(database, acknowledged, found)
        for tag in database.execute("SELECT number, state FROM bench_tag WHERE state != 'closed'"):
            found.stuck.append(f"tag {tag['number']} is {tag['state']}")
    return found


def _lines(path: Path) -> list[dict[str, Any]]:
    return [json.loads(line) for line in path.read_text().splitlines() if line.endswith("}")]


def _is_whole(database: sqlite3.Connection, found: Judgement) -> None:
    if (said := database.execute("PRAGMA integrity_check").fetchone()[0]) != "ok":
        found.losses.append(f"the database is not whole: {said}")
    found.losses += [f"a row of {row[0]} hangs on nothing" for row in database.execute("PRAGMA foreign_key_check")]


def _metal(ledger: Iterable[dict[str, Any]], found: Judgement) -> dict[str, set[int]]:
    """The cuts of each job that were begun. Only the one under way when the power went may be begun again."""
    begun: defaultdict[str, list[int]] = defaultdict(list)
    may_begin_again: set[str] = set()
    for line in ledger:
        if line["what"] == "switched-on":
            may_begin_again = set(begun)
            continue
        job, cut = line["job"], line["cut"]
        again = job in may_begin_again and begun[job] and cut == begun[job][-1]
        if cut in begun[job] and not again:
            found.doubles.append(f"cut {cut + 1} of {job} was made twice")
        may_begin_again.discard(job)
        begun[job].append(cut)
    return {job: set(cuts) for job, cuts in begun.items()}


def _pieces(database: sqlite3.Connection, begun: dict[str, set[int]], found: Judgement) -> None:
    pieces = {row["job"]: row for row in database.execute("SELECT * FROM bench_piece")}
    for job in begun.keys() - pieces.keys():
        found.uncounted.append(f"{job} was cut, and no piece is called so")
    for job, piece in pieces.items():
        made = len(begun.get(job, ())) == len(json.loads(piece["cuts"]))
        if made and piece["state"] != "finished":
            found.losses.append(f"{job} is made, and the database has it {piece['state']}")
        if piece["state"] == "finished" and not made:
            found.losses.append(f"{job} is finished in the database, and {len(begun.get(job, ()))} cuts were begun")
        if piece["state"] == "finished" and piece["done"] != len(json.loads(piece["cuts"])):
            found.uncounted.append(f"{job} counts {piece['done']} cuts")
    finished = [row for row in pieces.values() if row["state"] == "finished"]
    made_of = Counter((row["tag_id"], row["key_number"]) for row in finished if row["onto_id"] is None)
    found.keys = len(made_of)
    found.touched_up = sum(row["onto_id"] is not None for row in finished)
    found.doubles += [f"key {key} of tag {tag} was made {n} times" for (tag, key), n in made_of.items() if n > 1]
    for tag in database.execute("SELECT id, number, quantity FROM bench_tag"):
        made_keys = sum(1 for of, _ in made_of if of == tag["id"])
        if made_keys < tag["quantity"]:
            found.losses.append(f"tag {tag['number']} has {made_keys} of {tag['quantity']} keys")
        elif made_keys > tag["quantity"]:
            found.doubles.append(f"tag {tag['number']} has {made_keys} keys, {tag['quantity']} were wanted")


def _blanks(database: sqlite3.Connection, ledger: Sequence[dict[str, Any]], hung: int, found: Judgement) -> None:
    used = {line["job"] for line in ledger if line["what"] == "cut-begins" and line["onto"] is None}
    taken = {row["job"] for row in database.execute("SELECT job FROM bench_piece WHERE blank_taken")}
    found.uncounted += [f"{job} used a blank that nobody took" for job in used - taken]
    found.uncounted += [f"{job} took a blank that was never cut" for job in taken - used]
    left = database.execute("SELECT SUM(? - left) FROM library_blank", [hung]).fetchone()[0]
    if left != len(taken):
        found.uncounted.append(f"{left} blanks are off their hooks, {len(taken)} were taken")


def _entries(database: sqlite3.Connection, memory: Sequence[dict[str, Any]], found: Judgement) -> None:
    """Every entry of the machine's own log, each recorded once and as it was."""
    rows = database.execute(
        "SELECT number, kind, job FROM machines_lineevent WHERE machine_id = (SELECT id FROM machines_machine "
        "WHERE driver = 'bench') ORDER BY number"
    ).fetchall()
    recorded = [(row["number"], row["kind"], row["job"]) for row in rows]
    told = [(event["n"], event["kind"], event["job"] or "") for event in memory]
    found.doubles += [f"entry {each} is recorded twice" for each, times in Counter(recorded).items() if times > 1]
    found.uncounted += [f"entry {each} is not recorded" for each in sorted(set(told) - set(recorded))]
    found.doubles += [f"entry {each} was never told" for each in sorted(set(recorded) - set(told))]


def _presses(database: sqlite3.Connection, acknowledged: Sequence[str], found: Judgement) -> None:
    kept = {row["key"] for row in database.execute("SELECT key FROM machines_order")}
    found.uncounted += [f"press {key} was acknowledged, and is not there" for key in set(acknowledged) - kept]
    open_orders = database.execute("SELECT COUNT(*) FROM machines_order WHERE state IN ('asked', 'sent')").fetchone()[0]
    if open_orders:
        found.stuck.append(f"{open_orders} orders were never answered")
