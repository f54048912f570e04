"""One trial: tags worked through by their pages while processes are killed and answers are lost."""

from __future__ import annotations

import json
import os
import socket
import tempfile
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from random import Random
from threading import Event, Thread

from benchmarks.faults.judge import Judgement, judge
from benchmarks.faults.operator import Gone, Operator
from benchmarks.faults.processes import Shop
from benchmarks.figure import Figure
from faulty_line import LosingLine

KILLS, TAGS = 100, 24
BLANKS = 1000
FIRST_TAG = 401
VICTIMS = (
    ("machine",), ("machine",), ("follower",), ("follower",), ("application",), ("machine", "follower"),
    ("application", "follower"), ("application", "machine"),
)  # fmt: skip
LOSSES = (
    ("request lost", 0.03), ("answer lost", 0.05), ("slow", 0.04), ("mutated", 0.01), ("junk", 0.01), ("deep", 0.01),
    ("half", 0.01), ("never", 0.003), ("another log", 0.01),
)  # fmt: skip
PATIENCE = 420.0  # seconds that the tags left have once the kills are over


@dataclass
class Trial:
    """A shop, a smith who works, and what befalls them."""

    folder: Path
    kills: int
    tags: int
    seed: int = 1
    killed: int = 0
    wrong: list[str] = field(default_factory=list)  # what the smith could not go on from
    is_over: Event = field(default_factory=Event)

    def __post_init__(self) -> None:
        self.folder.mkdir(exist_ok=True)
        self.random = Random(self.seed)
        self.fair = Random(self.seed + 1)
        os.environ["WRY_FALCON_TAGS"] = str(self.tags)
        self.shop = Shop(self.folder)
        self.line = LosingLine(self.shop.machine_port, self._befalls)
        self.shop.line_port = self.line.port
        self.smith = Operator(self.shop.port, Random(self.seed + 2))

    def run(self) -> Judgement:
        """Kill at random until enough is killed and every tag is closed; then judge."""
        self.shop.furnish()
        try:
            self.shop.start("machine", "follower", "application")
            self._put_out_of_true()
            smith = Thread(target=self._work, daemon=True)
            smith.start()
            while self.killed < self.kills and not self.is_over.is_set():
                time.sleep(self.random.uniform(0.05, 1.1))
                victims = self.random.choice(VICTIMS)
                self.shop.kill(*victims)
                self.killed += 1
                time.sleep(self.random.uniform(0.0, 0.3))
                self.shop.start(*victims)
            smith.join(PATIENCE)
            self._come_to_rest()
        finally:
            self.shop.stop()
            self.line.stop()
        found = judge(self.folder, BLANKS, self.smith.acknowledged)
        found.stuck += self.wrong
        return found

    def _work(self) -> None:
        """Tag after tag, in turn where one waits."""
        left = [FIRST_TAG + number for number in range(self.tags)]
        while left:
            try:
                if self.smith.work_on(left[0]):
                    left.pop(0)
                if self.smith.random.random() < 0.05:
                    self.smith.meddle()
            except Gone:
                time.sleep(0.1)
            except Exception as error:
                self.wrong.append(f"tag {left[0]}: {error!r}")
                left.pop(0)
        self.is_over.set()

    def _put_out_of_true(self) -> None:
        """The machine cuts shallow, so that keys have to be touched up."""
        with socket.create_connection(("127.0.0.1", self.shop.machine_port), 5) as line, line.makefile("rwb") as io:
            for fault, value in (("depth_offset", 0.12), ("caliper_sd", 0.001)):
                io.write(json.dumps({"v": 3, "do": "inject", "fault": fault, "value": value}).encode() + b"\n")
                io.flush()
                io.readline()

    def _befalls(self) -> str:
        at = self.fair.random()
        for what, chance in LOSSES:
            if at < chance:
                return what
            at -= chance
        return ""

    def _come_to_rest(self) -> None:
        """Everything that was asked is answered, and the log is read to its end."""
        self.fair = Random(10**9)  # whatever befalls, it is over soon
        self.shop.kill("follower")
        self.shop.start("follower")  # one that has just begun asks every machine at once
        time.sleep(3.5)


def measure() -> Iterator[Figure]:
    """At least a hundred kills over tags with touch-ups and double-edged keys."""
    with tempfile.TemporaryDirectory() as folder:
        trial = Trial(Path(folder), KILLS, TAGS)
        found = trial.run()
        for says in [*found.losses, *found.doubles, *found.stuck, *found.uncounted][:20]:
            yield Figure(says, False)
        yield Figure(f"{trial.killed} kills (goal at least {KILLS})", trial.killed >= KILLS)
        yield Figure(f"{found.says} (goal all 0)", found.wrong == 0)
