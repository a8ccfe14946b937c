"""Our own PostgreSQL cluster, on its own port, owned by a user who is not root."""

from __future__ import annotations

import os
import pwd
import secrets
import shutil
import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path

from .packages import POSTGRES_BIN
from .paths import LOCAL, run, say
from .ports import require_free


@dataclass(frozen=True)
class Cluster:
    """A cluster in a folder of its own. `safe`: password and durable writes; otherwise for tests only."""

    name: str
    port: int
    safe: bool

    @property
    def home(self) -> Path:
        """Where it lies: below .local, or where the postgres user may go when we are root and it may not."""
        return _reachable() / self.name

    @property
    def data(self) -> Path:
        return self.home / "data"

    def environment(self) -> dict[str, str]:
        """How Django reaches it."""
        found = {"ZUCKER_DB_PORT": str(self.port), "ZUCKER_DB_HOST": "127.0.0.1"}
        if self.safe:
            found["ZUCKER_DB_PASSWORD"] = (LOCAL / f"{self.name}.password").read_text().strip()
        return found

    def start(self) -> bool:
        """Make it if need be and start it; True when it was not running before."""
        if _as_postgres(["test", "-e", self.data / "PG_VERSION"], check=False):
            self._make()
        if _as_postgres([POSTGRES_BIN / "pg_ctl", "-D", self.data, "status"], check=False) == 0:
            return False
        require_free(self.port, "ZUCKER_DB_PORT" if self.safe else "ZUCKER_TEST_DB_PORT")
        options = f"-c listen_addresses=127.0.0.1 -c port={self.port} -c unix_socket_directories={self.home}"
        if not self.safe:
            options += " -c fsync=off -c full_page_writes=off"
        _as_postgres([POSTGRES_BIN / "pg_ctl", "-D", self.data, "-l", self.home / "log", "-w", "-o", options, "start"])
        self._ensure_database()
        return True

    def stop(self) -> None:
        """Stop it, letting transactions end."""
        _as_postgres([POSTGRES_BIN / "pg_ctl", "-D", self.data, "-m", "fast", "-w", "stop"], check=False)

    def _make(self) -> None:
        say(f"making the database cluster {self.name}")
        if self.safe:  # a new database has no tables yet, whatever was done before
            (LOCAL / "done" / "migrate").unlink(missing_ok=True)
        self.home.mkdir(parents=True, exist_ok=True)
        words: list[str | Path] = [POSTGRES_BIN / "initdb", "-D", self.data, "-U", "zucker", "-E", "UTF8", "--locale=C.UTF-8"]
        if self.safe:
            password = LOCAL / f"{self.name}.password"
            password.touch(mode=0o600)
            password.write_text(secrets.token_urlsafe(24))
            given = self.home / "given"
            given.touch(mode=0o600)
            given.write_text(password.read_text())
            _give(self.home)
            _as_postgres([*words, "--auth=scram-sha-256", f"--pwfile={given}"])
            given.unlink()
        else:
            _give(self.home)
            _as_postgres([*words, "--auth=trust"])

    def _ensure_database(self) -> None:
        env = {"PGPASSWORD": self.environment().get("ZUCKER_DB_PASSWORD", "")}
        reach = ["-h", "127.0.0.1", "-p", str(self.port), "-U", "zucker"]
        listed = subprocess.run(
            [POSTGRES_BIN / "psql", *reach, "-d", "postgres", "-Atc", "SELECT 1 FROM pg_database WHERE datname='zucker'"],
            env={**os.environ, **env}, capture_output=True, text=True, check=True)
        if listed.stdout.strip() != "1":
            run([POSTGRES_BIN / "createdb", *reach, "zucker"], env=env, quiet=True)


SERVE = Cluster("pg", int(os.environ.get("ZUCKER_DB_PORT", "54329")), safe=True)
TESTS = Cluster("pg-tests", int(os.environ.get("ZUCKER_TEST_DB_PORT", "54330")), safe=False)


def _reachable() -> Path:
    """.local, unless we are root and the postgres user cannot pass through the folders above it."""
    if os.geteuid() != 0:
        return LOCAL
    folder = LOCAL
    while folder != folder.parent:
        if folder.exists() and not folder.stat().st_mode & 0o001:
            mark = LOCAL / "cluster-home"
            if not mark.exists():
                mark.parent.mkdir(parents=True, exist_ok=True)
                mark.write_text(f"/var/lib/postgresql/zucker-{secrets.token_hex(4)}")
            return Path(mark.read_text())
        folder = folder.parent
    return LOCAL


def _give(folder: Path) -> None:
    """The cluster's folder belongs to the postgres user when we are root."""
    if os.geteuid() == 0:
        owner = pwd.getpwnam("postgres")
        for path in [folder, *folder.rglob("*")]:
            os.chown(path, owner.pw_uid, owner.pw_gid)


def _as_postgres(command: list[str | Path], *, check: bool = True) -> int:
    words = [str(part) for part in command]
    if os.geteuid() == 0:
        if shutil.which("runuser") is None:
            sys.exit("zucker: runuser is missing (Debian's util-linux)")
        words = ["runuser", "-u", "postgres", "--", *words]
    done = subprocess.run(words, cwd="/", stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True, check=False)
    if check and done.returncode:
        sys.exit(f"zucker: {' '.join(words)}\n{done.stderr}")
    return done.returncode
