"""Ports of this machine that we mean to use."""

from __future__ import annotations

import socket
import sys

from .paths import PORT


def require_free(port: int = PORT, setting: str = "ZUCKER_PORT") -> None:
    """Ends the program when something listens there: two of us would share one database, and the second would stop it."""
    with socket.socket() as probe:
        probe.settimeout(1)
        if probe.connect_ex(("127.0.0.1", port)) == 0:
            sys.exit(f"zucker: something answers at port {port} already: stop it, or choose another with {setting}")
