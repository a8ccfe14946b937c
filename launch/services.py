"""What runs while Zucker runs: web, worker, and in a demo the stand-ins."""

from __future__ import annotations

import os
import secrets
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path

from .paths import LOCAL, PORT, PYTHON, ROOT, VENV, python_env, run, say
from .postgres import SERVE


def environment(**more: str) -> dict[str, str]:
    """Settings of the server's processes."""
    key = LOCAL / "secret-key"
    if not key.exists():
        key.touch(mode=0o600)
        key.write_text(secrets.token_urlsafe(48))
    return python_env(ZUCKER_SECRET_KEY=key.read_text(), **SERVE.environment(), **more)


def manage(*words: str, env: dict[str, str], quiet: bool = True) -> None:
    """Run a command of Django's."""
    run([PYTHON, ROOT / "server" / "manage.py", *words], env=env, quiet=quiet)


def web_command(port: int) -> list[str]:
    """gunicorn with threads: the web process keeps no state, so their number is free."""
    return [str(VENV / "bin" / "gunicorn"), "zucker.config.wsgi", "--bind", f"127.0.0.1:{port}", "--worker-class", "gthread",
            "--workers", "2", "--threads", "4", "--no-control-socket", "--log-level", "warning", "--timeout", "60"]


class Services:
    """Child processes with their logs below .local/log. They end when this program ends."""

    def __init__(self) -> None:
        self.running: dict[str, subprocess.Popen[bytes]] = {}

    def start(self, name: str, command: list[str], env: dict[str, str], cwd: Path = ROOT) -> None:
        log = LOCAL / "log"
        log.mkdir(parents=True, exist_ok=True)
        with (log / f"{name}.log").open("ab") as out:
            self.running[name] = subprocess.Popen(
                command, cwd=cwd, env={**os.environ, **env}, stdout=out, stderr=subprocess.STDOUT, stdin=subprocess.DEVNULL)

    def stop(self) -> None:
        for process in self.running.values():
            process.terminate()
        for process in self.running.values():
            try:
                process.wait(10)
            except subprocess.TimeoutExpired:
                process.kill()
        self.running.clear()

    def watch(self) -> None:
        """Wait until interrupted; end when a process dies by itself."""
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        try:
            while True:
                for name, process in self.running.items():
                    if process.poll() is not None:
                        sys.exit(f"zucker: {name} ended with {process.returncode}; see .local/log/{name}.log")
                time.sleep(1)
        except KeyboardInterrupt:
            print()
        finally:
            self.stop()


def wait_for_page(port: int = PORT, seconds: float = 30.0) -> None:
    """Until the server answers."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        try:
            with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/v1/clock", timeout=2):
                return
        except (urllib.error.URLError, OSError):
            time.sleep(0.1)
    sys.exit("zucker: the server does not answer; see .local/log/web.log")


def start_server(services: Services, env: dict[str, str]) -> None:
    """Web and worker."""
    services.start("web", web_command(PORT), env)
    services.start("worker", [str(PYTHON), str(ROOT / "server" / "manage.py"), "procrastinate", "worker"], env)
    wait_for_page()


def start_standins(services: Services, env: dict[str, str]) -> None:
    """Bush gateway and sugarhouse controller."""
    for name in ("gateway", "controller"):
        words = ["-m", "standins", "--url", f"http://127.0.0.1:{PORT}", "--folder", str(LOCAL / "demo"), name]
        services.start(name, [str(PYTHON), *words], env)
    say(f"logs are in {LOCAL.relative_to(ROOT)}/log")
