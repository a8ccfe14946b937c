"""Where everything lies, and how a step is told and run."""

from __future__ import annotations

import hashlib
import os
import subprocess
import sys
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
LOCAL = ROOT / ".local"
VENV = LOCAL / "venv"
PYTHON = VENV / "bin" / "python"
WEB = ROOT / "web"
PORT = int(os.environ.get("ZUCKER_PORT", "8460"))


def say(text: str) -> None:
    """One line of what is being done and why."""
    print(f"zucker: {text}", flush=True)


def run(command: Sequence[str | Path], *, cwd: Path = ROOT, env: Mapping[str, str] | None = None, quiet: bool = False) -> None:
    """Run a step; its own output is shown only when it fails if `quiet`. Ends the program when it fails."""
    done = subprocess.run(
        [str(part) for part in command], cwd=cwd, env={**os.environ, **(env or {})}, check=False,
        stdout=subprocess.PIPE if quiet else None, stderr=subprocess.STDOUT if quiet else None, text=True)
    if done.returncode:
        if quiet:
            print(done.stdout)
        sys.exit(f"zucker: this step failed: {' '.join(str(part) for part in command)}")


def python_env(**more: str) -> dict[str, str]:
    """Environment in which our Python finds core, server and stand-ins."""
    return {"PYTHONPATH": os.pathsep.join(str(ROOT / part) for part in ("core", "server", ".")), **more}


def once(name: str, inputs: Sequence[Path], step: Callable[[], None], output: Path | None = None) -> None:
    """Do a step unless it was done for exactly these inputs and its output is still there."""
    digest = hashlib.sha256()
    for path in inputs:
        for file in sorted(path.rglob("*")) if path.is_dir() else [path]:
            if file.is_file():
                digest.update(str(file.relative_to(ROOT)).encode() + file.read_bytes())
    mark = LOCAL / "done" / name
    if mark.exists() and mark.read_text() == digest.hexdigest() and (output is None or output.exists()):
        return
    step()
    mark.parent.mkdir(parents=True, exist_ok=True)
    mark.write_text(digest.hexdigest())
