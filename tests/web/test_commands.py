"""Commands from a shell: the demonstration, people, machines, and what is refused."""

from __future__ import annotations

import io
import os
import shlex
import shutil
import socket
import sqlite3
import subprocess
import sys
import time
from pathlib import Path
from typing import Any
from urllib.request import Request, urlopen

import pytest
from django.core.management import CommandError, call_command
from django.test import override_settings

from wryfalcon.accounts.checks import names_its_proxies
from wryfalcon.accounts.models import User
from wryfalcon.bench.models import Tag, TagState
from wryfalcon.log.models import AuditEntry
from wryfalcon.machines.models import Machine

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
    assert Tag.objects.filter(state=TagState.OPEN).count() == 20


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


def test_a_back_up_into_a_folder_that_is_not_there_is_refused_in_a_line(tmp_path: Path) -> None:
    with pytest.raises(CommandError, match=r"There is no folder .*missing: make it first"):
        call_command("back_up", tmp_path / "missing" / "x.sqlite3")


def test_running_for_real_without_a_named_proxy_is_warned_of() -> None:
    with override_settings(TRUSTED_PROXIES=[]):
        assert [each.id for each in names_its_proxies()] == ["accounts.W001"]
    with override_settings(TRUSTED_PROXIES=["127.0.0.1"]):
        assert names_its_proxies() == []


def test_somebody_who_is_here_already_is_not_added_again(monkeypatch: Any) -> None:
    say("add_person", "morwen", "--role", "owner", typed="rope-walk-corner\n", monkeypatch=monkeypatch)
    with pytest.raises(CommandError, match="morwen is here already; --again"):
        say("add_person", "morwen", "--role", "counter", typed="another-long-word\n", monkeypatch=monkeypatch)
    assert User.objects.get().role == "owner"
    assert User.objects.get().check_password("rope-walk-corner")
    before = User.objects.get(username="morwen").role
    assert before != "smith"
    said = say("add_person", "morwen", "--again", typed="a-third-long-word\n", monkeypatch=monkeypatch)
    assert (User.objects.get(username="morwen").role, "is still here" in said) == (before, True)
    say("add_person", "morwen", "--role", "smith", "--again", typed="another-long-word\n", monkeypatch=monkeypatch)
    assert User.objects.get().role == "smith"
    with pytest.raises(CommandError, match="There is nobody called jago"):
        say("add_person", "jago", "--again", typed="another-long-word\n", monkeypatch=monkeypatch)


def steps_of_the_readme() -> list[str]:
    """The lines of the README's production set-up, without their comments."""
    text = (ROOT / "README.md").read_text().split("## Running it for real", 1)[1]
    return [line.split("  #")[0].split(" # ")[0].strip() for line in text.split("```")[1].strip().splitlines()]


@pytest.fixture
def shop_for_real(tmp_path: Path) -> dict[str, str]:
    """An environment as the README says, for an empty folder."""
    return {
        "PATH": os.environ["PATH"], "HOME": str(tmp_path), "DJANGO_SETTINGS_MODULE": "wryfalcon.settings.production",
        "WRY_FALCON_SECRET_KEY": "k" * 50, "WRY_FALCON_HOSTS": "shop.example", "WRY_FALCON_PROXIES": "127.0.0.1",
        "WRY_FALCON_VAR": str(tmp_path / "lib" / "wry-falcon"), "WRY_FALCON_LOG": str(tmp_path / "wry-falcon.log"),
    }  # fmt: skip


def test_the_readmes_steps_work_in_an_empty_folder(tmp_path: Path, shop_for_real: dict[str, str]) -> None:
    """As written, but for the folder, the port and the words to be filled in; nothing is readable by others."""
    steps = steps_of_the_readme()
    named = {step.split("=")[0].removeprefix("export ") for step in steps if step.startswith("export ")}
    assert named == {name for name in shop_for_real if name not in ("PATH", "HOME")}
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    running = []
    try:
        for step in steps:
            if step.startswith("export ") or step == "./falcon setup":
                continue
            line = step.replace("NAME", "morwen").replace(":8000", f":{port}")
            if "gunicorn" in line or "follow_machines" in line:
                running.append(subprocess.Popen(shlex.split(line), cwd=ROOT, env=shop_for_real))
                continue
            subprocess.run(
                shlex.split(line), cwd=ROOT, env=shop_for_real, input="rope-walk-corner\n", text=True, check=True,
                capture_output=True,
            )  # fmt: skip
        assert len(running) == 2
        assert "Log in" in answer_of(port)
    finally:
        for process in running:
            process.terminate()
            process.wait(20)
    kept = [path for path in (tmp_path / "lib" / "wry-falcon").iterdir() if path.name != "static"]
    assert kept
    modes = {path: path.stat().st_mode for path in [tmp_path / "lib" / "wry-falcon", *kept] if path.exists()}
    assert [path for path, mode in modes.items() if mode & 0o077] == []


def answer_of(port: int) -> str:
    """The log-in page of a server behind a proxy, once it answers."""
    asked = Request(
        f"http://127.0.0.1:{port}/accounts/login", headers={"Host": "shop.example", "X-Forwarded-Proto": "https"}
    )
    for _ in range(300):
        try:
            with urlopen(asked, timeout=5) as answer:
                return answer.read().decode()
        except OSError:
            time.sleep(0.1)
    raise AssertionError("nothing answers")


def test_a_back_up_is_restored_and_an_old_log_beside_it_is_not_replayed(
    tmp_path: Path, shop_for_real: dict[str, str], demonstration_database: Path
) -> None:
    def run(*command: str) -> subprocess.CompletedProcess[str]:
        line = [sys.executable, "-m", "wryfalcon", *command]
        environment = {**shop_for_real, "PYTHONPATH": str(ROOT / "src")}
        return subprocess.run(
            line, env=environment, capture_output=True, text=True, check=False, input="rope-walk-corner\n"
        )

    place = Path(shop_for_real["WRY_FALCON_VAR"]) / "wry-falcon.sqlite3"
    place.parent.mkdir(parents=True)
    shutil.copy(demonstration_database, place)
    assert run("back_up", str(tmp_path / "kept.sqlite3")).returncode == 0
    assert (tmp_path / "kept.sqlite3").stat().st_mode & 0o077 == 0
    assert "is there already" in run("back_up", str(tmp_path / "kept.sqlite3")).stderr
    open_still = sqlite3.connect(place)
    open_still.execute("BEGIN IMMEDIATE")
    open_still.execute("INSERT INTO bench_customer (name) VALUES ('after the back-up')")
    open_still.commit()
    assert place.with_name(place.name + "-wal").stat().st_size
    open_still.execute("BEGIN IMMEDIATE")
    refused = run("restore", str(tmp_path / "kept.sqlite3"))
    assert "stop application and follower first" in refused.stderr
    shutil.copy(place.with_name(place.name + "-wal"), tmp_path / "old-wal")
    open_still.close()
    shutil.copy(tmp_path / "old-wal", place.with_name(place.name + "-wal"))  # as a crash leaves it
    (tmp_path / "rubbish").write_text("rubbish")
    assert "is no database" in run("restore", str(tmp_path / "rubbish")).stderr
    done = run("restore", str(tmp_path / "kept.sqlite3"))
    assert done.returncode == 0, done.stderr
    with sqlite3.connect(place) as now:
        later = "SELECT count(*) FROM bench_customer WHERE name = 'after the back-up'"
        assert now.execute(later).fetchone() == (0,)
        assert now.execute("SELECT username FROM accounts_user").fetchall() == [("orla",), ("tam",), ("wren",)]
    aside = [path.name for path in place.parent.iterdir() if ".before-" in path.name]
    assert any(name.endswith(("sqlite3", "0", "1", "2", "3", "4", "5", "6", "7", "8", "9")) for name in aside)


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
