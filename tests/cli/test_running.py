"""The application started as a person would: once, twice, stopped, killed, and started again on the same data."""

import json
import os
import signal
import socket
import subprocess
import sys
import urllib.error
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from fleet_rival.cli.processes import Started, free_port, recorded, wait_for_end

HOME = Path(__file__).parents[2]


class Installation:
    """A folder of its own in which the application runs from this project's sources."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.port = free_port()
        self.started: list[subprocess.Popen[str]] = []
        (folder / "var").mkdir()

    def start(self, command: str = "demo") -> subprocess.Popen[str]:
        environment = {**os.environ, "FLEET_HOME": str(self.folder), "PYTHONPATH": str(HOME)}
        process = subprocess.Popen(
            [sys.executable, "-m", "fleet_rival.cli", command, "--port", str(self.port)], env=environment, stderr=subprocess.PIPE, text=True, cwd=HOME
        )
        self.started.append(process)
        return process

    def wait_until_ready(self, process: subprocess.Popen[str]) -> str:
        assert process.stderr is not None
        said = ""
        for line in process.stderr:
            said += line
            if "Ctrl-C here" in line:
                return said
        raise AssertionError(said)

    def stop(self) -> subprocess.CompletedProcess[str]:
        environment = {**os.environ, "FLEET_HOME": str(self.folder), "PYTHONPATH": str(HOME)}
        command = [sys.executable, "-m", "fleet_rival.cli.bootstrap", "stop"]
        return subprocess.run(command, env=environment, capture_output=True, text=True, check=False)

    def ask(self, path: str) -> Any:
        with urllib.request.urlopen(f"http://127.0.0.1:{self.port}{path}", timeout=20) as answer:
            return json.load(answer)

    def alive(self) -> list[Started]:
        return recorded(self.folder / "var")[1]


@pytest.fixture
def installation(tmp_path: Path) -> Iterator[Installation]:
    made = Installation(tmp_path)
    yield made
    for left in made.alive():
        left.signal(signal.SIGKILL)
    for process in made.started:
        process.kill()
        process.communicate()


def test_start_twice_stop_and_start_again_on_the_same_data(installation: Installation) -> None:
    first = installation.start()
    said = installation.wait_until_ready(first)
    assert f"Fleet Rival is ready: http://127.0.0.1:{installation.port}" in said
    assert all(f"{step}: done" in said for step in ("Database", "Tables", "Demo data", "Server"))
    before = installation.ask("/api/combinations")
    assert before["items"][0]["laps"] == 600
    processes = installation.alive()
    assert [process.name for process in processes] == ["fleet", "server", "database"]

    again = installation.start()
    _, repeated = again.communicate(timeout=30)
    assert again.returncode == 0 and "running already" in repeated
    assert installation.alive() == processes

    assert installation.stop().stderr.strip() == "Stopped."
    assert first.wait(30) == 0 and wait_for_end(processes, 10)
    assert "Nothing of Fleet Rival is running" in installation.stop().stderr

    second = installation.start()
    installation.wait_until_ready(second)
    assert installation.ask("/api/combinations") == before
    second.send_signal(signal.SIGINT)
    assert second.wait(30) == 0
    assert not installation.alive()


def test_a_supervisor_that_is_killed_takes_its_children_along(installation: Installation) -> None:
    process = installation.start("start")
    installation.wait_until_ready(process)
    assert installation.ask("/api/combinations") == {"items": []}
    processes = installation.alive()
    process.kill()
    process.wait()
    assert wait_for_end(processes, 30)
    again = installation.start("start")
    installation.wait_until_ready(again)
    assert installation.stop().returncode == 0
    again.wait(30)


@pytest.mark.parametrize("victim", ["server", "database"])
def test_a_part_that_dies_is_told_and_ends_the_rest(installation: Installation, victim: str) -> None:
    process = installation.start("start")
    installation.wait_until_ready(process)
    processes = installation.alive()
    next(part for part in processes if part.name == victim).signal(signal.SIGKILL)
    assert process.stderr is not None
    rest = process.stderr.read()
    assert process.wait(30) == 1
    assert "ended by itself" in rest and rest.count("fleet:") == 1
    assert wait_for_end(processes, 10)


def test_the_server_answers_on_loopback_alone(installation: Installation) -> None:
    process = installation.start("start")
    installation.wait_until_ready(process)
    request = urllib.request.Request(f"http://127.0.0.1:{installation.port}/api/me", headers={"Host": "elsewhere.example"})
    with pytest.raises(urllib.error.HTTPError) as refused:
        urllib.request.urlopen(request, timeout=10)
    assert refused.value.code == 421
    refused.value.close()
    other = socket.gethostbyname(socket.gethostname())
    if not other.startswith("127."):
        with socket.socket() as probe:
            probe.settimeout(2)
            assert probe.connect_ex((other, installation.port)) != 0
    process.send_signal(signal.SIGTERM)
    assert process.wait(30) == 0


def test_the_plain_command_says_what_there_is() -> None:
    shown = subprocess.run([HOME / "fleet", "--help"], capture_output=True, text=True, check=False)
    assert shown.returncode == 0
    for command in ("demo", "start", "stop", "test", "analyse", "bench"):
        assert command in shown.stdout + shown.stderr
    unknown = subprocess.run([HOME / "fleet", "fly"], capture_output=True, text=True, check=False)
    assert unknown.returncode == 2 and "invalid choice" in unknown.stderr
