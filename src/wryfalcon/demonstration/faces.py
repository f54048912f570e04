"""Keys with faces and flags on the bench: milled tracks, dimples from a card, a lever lock that was measured."""

from __future__ import annotations

from wryfalcon.accounts.models import User
from wryfalcon.bench.models import OnBench, SourceKind, Tag
from wryfalcon.bench.reading.actions import state_labels
from wryfalcon.bench.reading.source_actions import add_source
from wryfalcon.bench.tags.actions import Baseline, TagDetails, take_in
from wryfalcon.demonstration.making import card_for, family_record, settle_as, type_values
from wryfalcon.machines.models import Machine

GANTRY = {"A": "23432123", "B": "12343234", "C": "32123432", "D": "43212321"}
LAMPHOUSE = {"A": "123212", "B": "212321", "S": "xyx"}
CAPSTAN = {"A": "23132", "B": "1232", "C": "abc"}
SLUICE = {"A": "2413"}
SLIPWAY = "132135342"
IN_THE_DOOR = range(4, 9)
WORN = (0.03, 0.05, 0.04, 0.02, 0.04, 0.05, 0.06, 0.05)


def hang_faces(people: dict[str, User]) -> None:
    """One tag of each kind, each at another stage."""
    _worn_steps(people)
    _carded_groove(people)
    _dimples(people)
    _sluice(people)
    _slipway(people)


def _hang(people: dict[str, User], family_id: str, title: str, customer: str, lock: str, **more: object) -> Tag:
    job = {"authority": "known here, card shown", "on_bench": OnBench.WORN_KEY, **more}
    said = {"title": title, "customer": customer, "family": family_record(family_id)}
    locks = [Baseline(lock, "free", "rubs", "free")]
    return take_in(people["wren"], TagDetails(**said, locks=locks, **job))  # type: ignore[arg-type]


def _worn_steps(people: dict[str, User]) -> None:
    """Four tracks, two of them measured with a blade on the wall; not settled yet."""
    tag = _hang(people, "gantry-eight", "Gantry crane, cab door", "Harbour Office", "Cab door")
    for name in ("A", "B"):
        track = tag.family.track(name)
        sign = 1 if track.falls_when_deeper else -1
        values = [track.values[track.step(s)] - sign * off for s, off in zip(GANTRY[name], WORN, strict=True)]
        type_values(people["tam"], tag, name, values)


def _carded_groove(people: dict[str, User]) -> None:
    """A groove between two walls and side tracks, its card made and ticked."""
    tag = _hang(people, "lamphouse-six", "Lamphouse, a second key", "Captain Ruan", "Lamphouse", on_bench=OnBench.CODE)
    settle_as(people["tam"], tag, {name: list(labels) for name, labels in LAMPHOUSE.items()})
    card_for(people["tam"], tag, Machine.objects.get(name="Old Gannet"))


def _dimples(people: dict[str, User]) -> None:
    """Outer and inner pins from a card: settled, to be set up."""
    tag = _hang(people, "capstan-five", "Capstan house, from its card", "Pier Master", "Capstan", on_bench=OnBench.CODE)
    settle_as(people["tam"], tag, {name: list(labels) for name, labels in CAPSTAN.items()})


def _sluice(people: dict[str, User]) -> None:
    """A lock without a table, measured: its key is filed by hand."""
    tag = _hang(
        people, "sluice-four", "Sluice gate, lock and no key", "Harbour Office", "Sluice", on_bench=OnBench.LOCK
    )
    settle_as(people["tam"], tag, {name: list(labels) for name, labels in SLUICE.items()})


def _slipway(people: dict[str, User]) -> None:
    """Nine cuts on the key, five in the locker's door: those read in the door, three more of a broken key measured."""
    title = "Slipway launch, console key lost"
    tag = _hang(people, "slipway-nine", title, "Ferry Company", "locker door", on_bench=OnBench.LOCK)
    smith = people["tam"]
    door = add_source(smith, tag, "A", SourceKind.GRID)
    state_labels(smith, tag, door, {space: [SLIPWAY[space - 1]] for space in IN_THE_DOOR})
    track = tag.family.tracks[0]
    type_values(smith, tag, "A", [track.values[track.step(label)] - 0.03 for label in SLIPWAY[:3]])
