"""Kills without a word, and lost answers: what the metal's ledger says is what the database says."""

from __future__ import annotations

import json
import shutil
import sqlite3
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any

from benchmarks.faults import Trial, judge
from benchmarks.faults.trial import BLANKS

KILLS = 5
Lines = list[dict[str, Any]]


def cut_again(ledger: Lines) -> Lines:
    return [*ledger, next(line for line in ledger if line["what"] == "cut-begins")]


def whole_key_again(ledger: Lines) -> Lines:
    first = next(line for line in ledger if line["what"] == "cut-begins")
    return [*ledger, {"what": "switched-on"}, *(line for line in ledger if line.get("job") == first["job"])]


def key_never_cut(ledger: Lines) -> Lines:
    last = ledger[-1]["job"]
    return [line for line in ledger if line.get("job") != last]


def key_of_nobody(ledger: Lines) -> Lines:
    return [*ledger, {**ledger[-1], "job": "a key of nobody's", "onto": None}]


FALSIFIED: dict[Callable[[Lines], Lines], str] = {
    cut_again: "doubles", whole_key_again: "doubles", key_never_cut: "losses", key_of_nobody: "uncounted",
}  # fmt: skip
CHANGED = {
    "UPDATE bench_piece SET blank_taken = 0 WHERE id = 1": "uncounted",
    "UPDATE library_blank SET left = left - 1 WHERE id = 1": "uncounted",
    "UPDATE bench_piece SET state = 'lost' WHERE id = 1": "losses",
    "UPDATE bench_tag SET state = 'open' WHERE id = 1": "stuck",
    "DELETE FROM machines_lineevent WHERE id = 5": "uncounted",
    "UPDATE machines_lineevent SET number = 9999 WHERE id = 5": "doubles",
    "UPDATE machines_order SET state = 'sent' WHERE id = 1": "stuck",
    "UPDATE bench_tag SET quantity = 1 WHERE id = 1": "doubles",
}


def test_five_kills_lose_double_strand_and_miscount_nothing_and_the_judge_is_not_blind(tmp_path: Path) -> None:
    """A smith works through three tags while it happens; then ledger and database are falsified, and found out."""
    trial = Trial(tmp_path / "shop", KILLS, 3, seed=3)
    found = trial.run()
    assert (found.losses, found.doubles, found.stuck, found.uncounted) == ([], [], [], [])
    assert (trial.killed, found.keys) == (KILLS, 6)
    assert trial.smith.acknowledged
    for falsify, sort in FALSIFIED.items():
        assert getattr(judge(_falsified(trial.folder, tmp_path, falsify), BLANKS), sort), falsify.__name__
    for wrong, sort in CHANGED.items():
        assert getattr(judge(_changed(trial.folder, tmp_path, wrong), BLANKS), sort), wrong
    assert judge(trial.folder, BLANKS, ["f" * 32]).uncounted == [f"press {'f' * 32} was acknowledged, and is not there"]


def _copied(folder: Path, to: Path) -> Path:
    copy = to / "copy"
    copy.mkdir(exist_ok=True)
    for name in ("machine-ledger.jsonl", "machine-memory.jsonl"):
        shutil.copy(folder / name, copy)
    with (
        closing(sqlite3.connect(folder / "wry-falcon.sqlite3")) as true,
        closing(sqlite3.connect(copy / "wry-falcon.sqlite3")) as other,
    ):
        true.backup(other)
    return copy


def _falsified(folder: Path, to: Path, falsify: Callable[[Lines], Lines]) -> Path:
    copy = _copied(folder, to)
    ledger = copy / "machine-ledger.jsonl"
    lines = falsify([json.loads(line) for line in ledger.read_text().splitlines()])
    ledger.write_text("".join(json.dumps(line) + "\n" for line in lines))
    return copy


def _changed(folder: Path, to: Path, wrong: str) -> Path:
    copy = _copied(folder, to)
    with closing(sqlite3.connect(copy / "wry-falcon.sqlite3")) as database:
        database.execute(wrong)
        database.commit()
    return copy
