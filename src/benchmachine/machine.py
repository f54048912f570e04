"""The machine itself: its states, its numbered log, and the keys it has made.

Everything that changes it is an entry of its log, written into its memory first; switched on again,
it reads them and is where it was. Time only passes through ``advance``: the server calls it, or a
test that says how much of it has passed.
"""

from __future__ import annotations

from collections.abc import Callable
from random import Random
from typing import Any

from benchmachine.clock import Clock
from benchmachine.faults import FaceFaults, Faults
from benchmachine.jobs import ANGLES, DEEPER, JAW, Job, Refused, checked_cuts, holder_for
from benchmachine.memory import Journal
from benchmachine.metal import Metal
from benchmachine.wall import Milled, wall_at

DEEPEST_FEED = 0.4  # share of a cut's time spent moving before the plunge
ANSWERS_KEPT = 5_000
TOUCH_SD = 0.002  # mm, of one touch
APART = 24.0  # mm between the two places along a face that are touched
MOST_THICK = 20.0  # mm
NOTHING = Journal(None)
AFTER_HOMING = {"stalled": "held", "done": "idle"}
AFTER_SWITCHING_ON = {
    "cutting": "stopped", "held": "stopped", "index": "stopped", "tool": "stopped", "stalled": "stopped",
    "done": "idle",
}  # fmt: skip
"""What homing, and switching on and then homing, lead to; every other state is kept."""
CHANGES_HANDS = frozenset(
    {
        "loaded",
        "set-aside",
        "held",
        "turn-wanted",
        "index-wanted",
        "tool-wanted",
        "stalled",
        "stopped",
        "lid-opened",
        "switched-on",
    }
)
"""Entries after which a press that was made without knowing of them no longer holds."""


What = tuple[str, dict[str, Any], dict[str, Any]]


class Machine:
    """A seeded machine.

    States: unhomed, idle, loaded, cutting, held, turn, index, tool, stalled, stopped, done.
    """

    def __init__(
        self, seed: int, seconds_per_cut: float = 0.5, *,
        memory: Journal = NOTHING, ledger: Journal = NOTHING, clock: Clock | None = None,
    ) -> None:  # fmt: skip
        self.random, self.seed = Random(seed), seed
        self.faults = Faults.drawn(self.random)
        self.memory, self.ledger, self.clock = memory, ledger, clock or Clock()
        self.seconds_per_cut = seconds_per_cut
        self.log_id = ""
        self.state = "unhomed"
        self.then = "idle"  # the state that homing leads back to
        self.lid_open = False
        self.job: Job | None = None
        self.aside: dict[str, Job] = {}
        self.tray: dict[str, Job] = {}
        self.clamped: int | None = None
        self.tool: str | None = None  # as it was last said to be fitted
        self.lying = "empty"  # what a hand put on the clamp's face to touch it off
        self.lying_thick = 0.0  # how much of it there is under the tool, mm
        self.seat = (0.0, 0.0)  # this clamping's own error: all over, and per mm
        self.cuts_made = 0
        self.stall_next = False
        self.events: list[dict[str, Any]] = []
        self.answered: dict[str, str] = {}  # request: why it was refused, "" where it was done
        self._request = ""
        self._remember(seed)

    # --- the log -----------------------------------------------------------------------------

    def _remember(self, seed: int) -> None:
        """Read what was written before the machine was switched off, and write that it is on again."""
        for entry in self.memory.entries():
            if "refused" in entry:
                self.answered[entry["request"]] = entry["refused"]
            for written in entry.get("entries", ()):
                self._take(written["event"], written["private"])
        starts = sum(event["kind"] == "switched-on" for event in self.events)
        if starts:
            self.random = Random(f"{seed}, switched on {starts} times before")
        self.ledger.write({"at": self.clock.stamp(), "what": "switched-on"})
        log = self.log_id or f"{Random().getrandbits(48):012x}"
        then = AFTER_SWITCHING_ON.get(self._now_or_then, self._now_or_then)
        self._happen(("switched-on", {"log": log}, {"then": then}))

    @property
    def _now_or_then(self) -> str:
        return self.then if self.state == "unhomed" else self.state

    def _happen(self, *what: What, job: str | None = None) -> None:
        """Write one or more numbered entries (kind, what only the machine knows, what it tells), all or none.

        Then let them have happened.
        """
        about = job or (self.job.id if self.job else None)
        entries = [
            {
                "event": {
                    "n": number,
                    "at": self.clock.stamp(),
                    "kind": kind,
                    "job": about,
                    "order": self._request,
                    **told,
                },
                "private": private,
            }
            for number, (kind, private, told) in enumerate(what, start=len(self.events) + 1)
        ]
        self.memory.write({"entries": entries})
        for entry in entries:
            self._take(entry["event"], entry["private"])

    def _take(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        """Change the machine by one entry, whether it happens now or is read again."""
        self.events.append(event)
        if event["order"]:
            self._answer_kept(event["order"], "")
        TAKES[event["kind"]](self, event, private)

    def _answer_kept(self, request: str, refused: str) -> None:
        self.answered[request] = refused
        while len(self.answered) > ANSWERS_KEPT:
            self.answered.pop(next(iter(self.answered)))

    def status(self) -> dict[str, Any]:
        """What a client may see of the machine at this instant."""
        job = self.job
        return {
            "log": self.log_id,
            "state": self.state,
            "lid": "open" if self.lid_open else "closed",
            "job": job.id if job else None,
            "client": job.client if job else None,
            "cut": job.at if job else 0,
            "of": len(job.cuts) if job else 0,
            "share": round(job.share, 3) if job else 0.0,
            "clamping": job.clamping if job else None,
            "tool": self.tool,
            "cuts_made": self.cuts_made,
            "last": len(self.events),
        }

    # --- what a client asks for --------------------------------------------------------------------

    def asked(self, request: str, act: Callable[[], Any]) -> Any:
        """Do something once: a request that was answered before is answered the same again, and not done."""
        if request and request in self.answered:
            if self.answered[request]:
                raise Refused(self.answered[request])
            return None
        self._request = request
        try:
            return act()
        except Refused as refusal:
            if request:
                self.memory.write({"request": request, "refused": str(refusal)})
                self._answer_kept(request, str(refusal))
            raise
        finally:
            self._request = ""

    def home(self, client: str = "", seen: dict[str, Any] | None = None) -> None:
        """Find the home position; after a stall this also frees the cutter."""
        if self.state == "cutting":
            raise Refused("it is cutting: hold or stop it first")
        if self.job is not None and self.state != "done" and self.job.client != client:
            raise Refused("another client's key is in it")
        self._check_seen(seen)
        self._happen(("homed", {}, {"freed": self._now_or_then == "stalled"}))

    def load(
        self, job: str, cuts: list[dict[str, Any]], blank_height: float, client: str = "", onto: str | None = None, *,
        axes: Any = JAW.axes, deeper: str = "less", face: str = "",
    ) -> dict[str, Any]:  # fmt: skip
        """Take a job in. One that it knows is gone on with, or is finished, and never begun again."""
        if job in self.tray or (self.job is not None and self.job.id == job):
            return self.find(job)
        if self.state not in ("idle", "done", "stopped", "loaded"):
            raise Refused("it is not homed" if self.state == "unhomed" else f"it is {self.state} with another job")
        if self.job is not None and self.state != "done" and self.job.client != client:
            raise Refused("another client's key is in it")
        holder = holder_for(axes)
        checked = checked_cuts(cuts, holder)
        if deeper not in DEEPER:
            raise Refused(f"a deeper cut is {', '.join(DEEPER[:-1])} or {DEEPER[-1]}")
        if onto is not None and onto not in self.tray:
            raise Refused(f"there is no key {onto} to touch up")
        if self.job is not None and self.state != "done":
            self._happen(("set-aside", {}, {"cut": self.job.at}))
        private = {
            "cuts": checked, "blank_height": float(blank_height), "client": client, "onto": onto,
            "axes": list(holder.axes), "deeper": deeper, "face": str(face)[:60],
        }  # fmt: skip
        was = self.aside.get(job)
        self._happen(("loaded", private, {"of": len(checked), "cut": was.at if was else 0}), job=job)
        return self.find(job)

    def find(self, job: str, client: str = "") -> dict[str, Any]:
        """Where a key is and how far: clamp, aside, tray or unknown."""
        places = {"tray": self.tray.get(job), "aside": self.aside.get(job)}
        if self.job is not None and self.job.id == job and job not in self.tray:
            places = {"clamp": self.job}
        for where, found in places.items():
            if found is not None:
                return {"where": where, "cut": found.at, "of": len(found.cuts)}
        return {"where": "unknown", "cut": 0, "of": 0}

    def clamp(self, job: str, client: str = "", seen: dict[str, Any] | None = None) -> None:
        """The operator has clamped the key for the clamping that is next; each sits a little differently."""
        held = self._held(job, client)
        if self.state not in ("loaded", "turn", "stopped"):
            raise Refused("there is nothing to clamp now")
        self._check_seen(seen)
        seat = (-abs(self.random.gauss(0, self.faults.seat_sd)) / 2, self.random.gauss(0, 0.0002))
        self._happen(("clamped", {"seat": seat}, {"clamping": held.clamping}))

    def start(self, job: str, client: str = "", seen: dict[str, Any] | None = None) -> None:
        """Start, or go on after a stop or after the key was turned over."""
        held = self._held(job, client)
        if self.state == "cutting":
            return
        if self.state not in ("loaded", "turn", "tool", "stopped"):
            raise Refused("it is not homed" if self.state == "unhomed" else f"it is {self.state}")
        self._check_seen(seen)
        if self.clamped != held.clamping:
            raise Refused("the key is not clamped for this side")
        if held.wants_tool not in (None, self.tool):
            if self.state == "tool":
                raise Refused(f"it wants {held.wants_tool} fitted first")
            self._happen(("tool-wanted", {}, {"tool": held.wants_tool}))
            return
        if held.holder.by_hand and held.at and self.state == "stopped":
            self._happen(("index-wanted", {}, {"index": held.at + 1}))  # nobody knows where it was turned to
            return
        self._go("started")

    def fit(self, job: str, tool: str, client: str = "", seen: dict[str, Any] | None = None) -> None:
        """The operator has fitted a tool, spindle off."""
        self._held(job, client)
        if self.state not in ("loaded", "turn", "tool", "stopped"):
            raise Refused(f"it is {self.state}: no tool is changed now")
        self._check_seen(seen)
        self._happen(("tool-fitted", {}, {"tool": str(tool)[:40]}))

    def index(self, job: str, client: str = "", seen: dict[str, Any] | None = None) -> None:
        """The operator has turned the adapter to the index that is next; it goes on."""
        self._held(job, client)
        if self.state != "index":
            raise Refused(f"it is {self.state}: there is nothing to turn to")
        self._check_seen(seen)
        self._go("indexed")

    def hold(self, job: str, client: str = "") -> None:
        """Pause where it is, spindle lifted. Nothing that moves already stands still: that is no refusal."""
        self._held(job, client)
        if self.state == "cutting":
            self._happen(("held", {}, {"reason": "asked"}))

    def resume(self, job: str, client: str = "", seen: dict[str, Any] | None = None) -> None:
        """Go on after a hold; the cut that was under way is finished."""
        self._held(job, client)
        if self.state == "cutting":
            return
        if self.state != "held":
            raise Refused("home it first" if self.state in ("stalled", "unhomed") else f"it is {self.state}, not held")
        self._check_seen(seen)
        self._go("resumed")

    def stop(self, job: str, client: str = "") -> None:
        """End the run; cuts made stay made, and the same job can be started again.

        Said again, it is written again: a start that was asked for before it no longer holds.
        """
        if job in self.tray:
            return
        self._held(job, client)
        self._happen(("stopped", {}, {}))

    # --- what a hand at the machine, or mischance, does ----------------------------------------------

    def lid(self, open: bool) -> None:
        """The lid is opened or closed by hand; opening it stops the cutter at once."""
        moved: What = ("lid-opened" if open else "lid-closed", {}, {})
        holds = open and self.state == "cutting"
        self._happen(moved, *([("held", {}, {"reason": "lid"})] if holds else []))

    def put(self, lying: str, thick: float = 0.0) -> None:
        """A hand lays something on the clamp's face, or clears it: empty, flat or key, so many millimetres thick."""
        if lying not in ("empty", "flat", "key") or not 0 <= float(thick) < MOST_THICK:
            raise Refused("a hand puts in a flat or a key, or leaves it empty")
        self._happen(("laid", {"lying": lying, "thick": 0.0 if lying == "empty" else float(thick)}, {}))

    def inject(self, fault: str, value: float = 0.0) -> None:
        """For tests and practice: ``stall`` the next cut, put a ``new-wheel`` on, or set a hidden fault."""
        try:
            Faults().inject(fault, value) if fault not in ("stall", "new-wheel") else None
        except ValueError as error:
            raise Refused(str(error)) from None
        self._happen(("touched", {"fault": fault, "value": float(value)}, {}))

    def measure(self, job: str, place: str, client: str = "") -> dict[str, float]:
        """Read one cut of a key with the caliper: value and position, noise included."""
        key = self.tray.get(job) or self.aside.get(job) or (self.job if self.job and self.job.id == job else None)
        if key is None or place not in key.made:
            raise Refused("there is no such cut to measure")
        at, value = key.made[place]
        of_space, of_depth, *of_third = (self._read_sd(axis) for axis in key.holder.axes)
        read = {"value": value + self.random.gauss(0, of_depth), "position": at + self.random.gauss(0, of_space)}
        if place in key.third and of_third:
            read["third"] = key.third[place] + self.random.gauss(0, of_third[0])
        return read

    def touch(self, face: str, at: str, client: str = "") -> dict[str, float]:
        """Come down on a face of a clamp, or on what lies on it, at both its ends: where it touched, mm.

        ``floor`` and ``top`` are heights, ``edge`` is how far across the reference edge of a key lies.
        """
        if self.state not in ("idle", "done"):
            raise Refused(
                "it is not homed" if self.state == "unhomed" else f"it is {self.state}: the clamp is not free"
            )
        if at not in ("floor", "top", "edge"):
            raise Refused("it touches floor, top or edge")
        if at == "edge" and self.lying != "key":
            raise Refused("it found no edge to touch")
        own, faults = FaceFaults.of(self.seed, face), self.faults
        start = own.across + faults.face_across if at == "edge" else own.floor + faults.face_floor + self.lying_thick
        tilt = own.tilt + faults.face_tilt if at == "edge" else 0.0
        near, far = (start + tilt * x + self.random.gauss(0, TOUCH_SD) for x in (0.0, APART))
        return {"near": near, "far": far, "apart": APART}

    def _read_sd(self, axis: str) -> float:
        """How well what an axis made is read."""
        return self.faults.protractor_sd if axis in ANGLES else self.faults.caliper_sd

    # --- time --------------------------------------------------------------------------------

    def advance(self, seconds: float) -> None:
        """Let time pass."""
        while seconds > 0 and self.state == "cutting" and self.job is not None:
            if self.job.share == 0.0:
                self._touch_metal(self.job)
            if self.stall_next and self.job.share >= DEEPEST_FEED:
                self._happen(("stalled", {}, {"cut": self.job.at}))
                break
            step = min(seconds, self.seconds_per_cut / 10)
            seconds -= step
            self.clock.step(step)
            self.job.share += step / self.seconds_per_cut
            if self.job.share > 1.0 - 1e-9:
                self._finish_cut(self.job)
        self.clock.step(max(0.0, seconds))

    def _touch_metal(self, job: Job) -> None:
        """Written before it happens, so that whoever judges the machine knows of it whatever comes next."""
        cut = job.cuts[job.at]
        self.ledger.write(
            {
                "at": self.clock.stamp(), "what": "cut-begins", "job": job.id, "onto": job.onto, "cut": job.at,
                "of": len(job.cuts), "clamping": cut["clamping"], "place": cut["place"],
            }
        )  # fmt: skip

    def _finish_cut(self, job: Job) -> None:
        cut, number = job.cuts[job.at], job.at
        made = self._metal.made(job, cut)
        done: What = ("cut-done", made, {"cut": number, "place": cut["place"]})
        following = job.cuts[number + 1] if number + 1 < len(job.cuts) else None
        if following is None:
            self._happen(done, ("finished", {}, {}))
        elif following["clamping"] != self.clamped:
            self._happen(done, ("turn-wanted", {}, {"clamping": following["clamping"]}))
        elif following["tool"] not in (None, self.tool):
            self._happen(done, ("tool-wanted", {}, {"tool": following["tool"]}))
        elif job.holder.by_hand:
            self._happen(done, ("index-wanted", {}, {"index": number + 2}))
        else:
            self._happen(done)

    @property
    def _metal(self) -> Metal:
        return Metal(self.faults, self.random, self.seed, *self.seat, self.cuts_made)

    # --- what it looks at before it does something ---------------------------------------------------

    def _held(self, job: str, client: str) -> Job:
        if self.job is None or self.job.id != job:
            raise Refused("it holds another key now" if self.job else "it holds no key now")
        if self.job.client != client:
            raise Refused("another client's key is in it")
        return self.job

    def _check_seen(self, seen: dict[str, Any] | None) -> None:
        """Refuse a press that rests on what is no longer so: the log has moved on since it was looked at."""
        if seen is None:
            return
        if seen["log"] != self.log_id:
            raise Refused("its log is another one now: look at it again")
        if any(event["kind"] in CHANGES_HANDS for event in self.events[int(seen["event"]) :]):
            raise Refused("something happened at it meanwhile: look at it again")

    def _go(self, kind: str) -> None:
        if self.lid_open:
            raise Refused("the lid is open")
        self._happen((kind, {}, {"cut": self.job.at if self.job else 0}))

    # --- what each kind of entry does -----------------------------------------------------------------

    def _take_switched_on(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.log_id, self.then, self.state, self.clamped = private["log"], event["then"], "unhomed", None
        if self.job is not None:
            self.job.share = 0.0
            self.job = None if self.job.id in self.tray else self.job

    def _take_homed(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.state = AFTER_HOMING.get(self._now_or_then, self._now_or_then)

    def _take_set_aside(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        assert self.job is not None
        self.aside[self.job.id], self.job = self.job, None

    def _take_loaded(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        name, onto = event["job"], private["onto"]
        before = self.tray[onto] if onto is not None else None
        fresh = Job(
            name, private["client"], private["cuts"], private["blank_height"], onto,
            holder_for(private.get("axes", list(JAW.axes))), private.get("deeper", "less"),
            face=private.get("face", ""), made=dict(before.made) if before else {},
            third=dict(before.third) if before else {}, milled=list(before.milled) if before else [],
        )  # fmt: skip
        self.job = self.aside.pop(name, fresh)
        self.clamped, self.state = None, "loaded"

    def _take_clamped(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.clamped, self.seat = event["clamping"], (private["seat"][0], private["seat"][1])

    def _take_going(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.state = "cutting"

    def _take_held(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.state = "held"

    def _take_stopped(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        if self.state == "unhomed":
            self.then = "stopped"
        else:
            self.state = "stopped"

    def _take_stalled(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.stall_next, self.state = False, "stalled"

    def _take_cut_done(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        assert self.job is not None
        self.job.made[event["place"]] = (private["made"][0], private["made"][1])
        if "third" in private:
            self.job.third[event["place"]] = private["third"]
        if "milled" in private:
            clamping, run, metal, radius, way = private["milled"]
            self.job.milled.append(Milled(clamping, run, metal, radius, tuple((x, y) for x, y in way)))
            self._walls_moved(self.job)
        self.job.at, self.job.share = event["cut"] + 1, 0.0
        self.cuts_made += 1

    def _walls_moved(self, job: Job) -> None:
        """A stretch takes metal off beside those before it: its neighbours' walls stand where the mill left them."""
        last = job.milled[-1]
        for cut in job.cuts:
            is_of_run = cut.get("mill") and (cut["clamping"], cut["mill"]["run"]) == (last.clamping, last.run)
            if is_of_run and cut["place"] in job.made:
                position = job.made[cut["place"]][0]
                job.made[cut["place"]] = (position, wall_at(job.milled, last, position))

    def _take_laid(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.lying, self.lying_thick = private["lying"], private["thick"]

    def _take_index_wanted(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.state = "index"

    def _take_tool_wanted(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.state = "tool"

    def _take_tool_fitted(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.tool, self.faults.drill_off = event["tool"], 0.0

    def _take_turn_wanted(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.state = "turn"

    def _take_finished(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        assert self.job is not None
        self.tray[self.job.id], self.state = self.job, "done"

    def _take_lid(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        self.lid_open = event["kind"] == "lid-opened"

    def _take_touched(self, event: dict[str, Any], private: dict[str, Any]) -> None:
        if private["fault"] == "stall":
            self.stall_next = True
        elif private["fault"] == "new-wheel":
            self.cuts_made = 0
        else:
            self.faults.inject(private["fault"], private["value"])


TAKES: dict[str, Callable[[Machine, dict[str, Any], dict[str, Any]], None]] = {
    "switched-on": Machine._take_switched_on, "homed": Machine._take_homed, "set-aside": Machine._take_set_aside,
    "loaded": Machine._take_loaded, "clamped": Machine._take_clamped, "started": Machine._take_going,
    "resumed": Machine._take_going, "held": Machine._take_held, "stopped": Machine._take_stopped,
    "stalled": Machine._take_stalled, "cut-done": Machine._take_cut_done, "turn-wanted": Machine._take_turn_wanted,
    "finished": Machine._take_finished, "lid-opened": Machine._take_lid, "lid-closed": Machine._take_lid,
    "touched": Machine._take_touched, "index-wanted": Machine._take_index_wanted, "indexed": Machine._take_going,
    "tool-wanted": Machine._take_tool_wanted, "tool-fitted": Machine._take_tool_fitted, "laid": Machine._take_laid,
}  # fmt: skip

COMMANDS: dict[str, Callable[..., Any]] = {
    "home": Machine.home, "load": Machine.load, "find": Machine.find, "clamp": Machine.clamp, "start": Machine.start,
    "hold": Machine.hold, "resume": Machine.resume, "stop": Machine.stop, "measure": Machine.measure,
    "fit": Machine.fit, "index": Machine.index, "touch": Machine.touch,
}  # fmt: skip
"""What a client may ask by name; status and events are answered by the server itself."""
HANDS: dict[str, Callable[..., Any]] = {
    "lid": Machine.lid, "inject": Machine.inject, "put": Machine.put, "pass": Machine.advance,
}  # fmt: skip
"""What is not asked by a client: a hand at the machine, mischance, and time where it stands still."""
