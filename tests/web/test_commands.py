"""Commands from a shell: the demonstration, people, machines, and what is refused."""

from __future__ import annotations

import io
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from django.core.management import CommandError, call_command
from django.test import override_settings

from wryfalcon.accounts.models import User
from wryfalcon.bench.models import Tag, TagState
from wryfalcon.machines.models import Machine
from wryfalcon.records.models import AuditEntry

pytestmark = pytest.mark.django_db
ROOT = Path(__file__).parents[2]


def say(*command: str, typed: str = "", monkeypatch: Any = None) -> str:
    said = io.StringIO()
    if monkeypatch is not None:
        monkeypatch.setattr(sys, "stdin", io.StringIO(typed))
    call_command(*command, stdout=said)
    return said.getvalue()


def test_the_demonstration_is_loaded_once_and_points_at_the_machines_port(monkeypatch: Any) -> None:
    monkeypatch.setattr(
        "wryfalcon.demonstration.management.commands.load_demonstration.call_command", lambda *a, **k: None
    )
    monkeypatch.setenv("WRY_FALCON_MACHINE_PORT", "9001")
    assert "is loaded" in say("load_demonstration")
    tags, entries = Tag.objects.count(), AuditEntry.objects.count()
    monkeypatch.setenv("WRY_FALCON_MACHINE_PORT", "9002")
    assert say("load_demonstration") == ""
    assert (Tag.objects.count(), AuditEntry.objects.count()) == (tags, entries)
    assert Machine.objects.get(name="Old Gannet").port == 9002
    states = set(Tag.objects.values_list("state", flat=True))
    assert states == set(TagState.values)
    assert Tag.objects.filter(state=TagState.OPEN).count() == 11


@override_settings(DEMONSTRATION=False)
def test_no_demonstration_in_a_real_shop() -> None:
    with pytest.raises(CommandError, match="This is not the demonstration"):
        call_command("load_demonstration")
    assert not User.objects.exists()


def test_a_person_is_added_with_a_role_and_a_password_worth_the_name(monkeypatch: Any) -> None:
    with pytest.raises(CommandError, match="too short"):
        say("add_person", "morwen", "--role", "owner", typed="short\n", monkeypatch=monkeypatch)
    said = say("add_person", "morwen", "--role", "owner", typed="rope-walk-corner\n", monkeypatch=monkeypatch)
    assert said == "morwen is now here, as owner.\n"
    assert User.objects.get().check_password("rope-walk-corner")


def test_a_machine_is_added_with_its_jaws_and_cutters() -> None:
    say("add_machine", "New Skua", "--port", "8800", "--jaw", "A:4.2", "--jaw", "B:3.2", "--cutter", "W-80:1.016:80")
    machine = Machine.objects.get()
    assert [(side.name, side.slot_depth) for side in machine.jaw_sides.all()] == [("A", 4.2), ("B", 3.2)]
    assert machine.fitted is not None
    assert machine.fitted.flat == 1.016
    with pytest.raises(CommandError, match="There is a machine New Skua already"):
        call_command("add_machine", "New Skua")
    with pytest.raises(CommandError, match="'A' wants 2 parts"):
        call_command("add_machine", "Other", "--jaw", "A")
    assert Machine.objects.count() == 1


@pytest.mark.parametrize("missing", ["WRY_FALCON_SECRET_KEY", "WRY_FALCON_HOSTS"])
def test_production_says_what_is_not_set(missing: str) -> None:
    environment = {**os.environ, "WRY_FALCON_SECRET_KEY": "x" * 60, "WRY_FALCON_HOSTS": "shop.example"}
    environment |= {"DJANGO_SETTINGS_MODULE": "wryfalcon.settings.production", "PYTHONPATH": str(ROOT / "src")}
    del environment[missing]
    command = [sys.executable, "-m", "wryfalcon", "check"]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
    assert done.returncode != 0
    assert f"set {missing}" in done.stderr


def test_the_script_says_what_it_does() -> None:
    done = subprocess.run(["sh", ROOT / "falcon", "help"], capture_output=True, text=True, check=True)
    for verb in ("setup", "demo", "demo --fresh", "test", "check", "bench", "css", "pictures"):
        assert f"./falcon {verb}" in done.stdout
    wrong = subprocess.run(["sh", ROOT / "falcon", "unlock"], capture_output=True, text=True, check=False)
    assert wrong.returncode == 2
