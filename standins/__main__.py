"""`python -m standins write|gateway|controller|leak|mend`."""

from __future__ import annotations

import argparse
from pathlib import Path

import httpx

from . import controller, demo_files, gateway
from .places import PLACES


def main() -> None:
    parser = argparse.ArgumentParser(prog="standins", description=__doc__)
    parser.add_argument("--url", default="http://127.0.0.1:8460", help="where Zucker answers")
    parser.add_argument("--folder", type=Path, default=Path(".local/demo"), help="where the demo's files are")
    parser.add_argument("--port", type=int, default=8461, help="the bush gateway's switchboard")
    commands = parser.add_subparsers(dest="command", required=True)
    commands.add_parser("write", help="write the demo's files")
    commands.add_parser("gateway", help="be the bush gateway")
    commands.add_parser("controller", help="be the sugarhouse controller")
    leak = commands.add_parser("leak", help="open a leak in the running gateway")
    leak.add_argument("node", help="such as UN-03.9")
    leak.add_argument("scfm", type=float)
    commands.add_parser("mend", help="close a leak").add_argument("node")
    asked = parser.parse_args()
    if asked.command == "write":
        demo_files.write(asked.folder)
    elif asked.command == "gateway":
        gateway.run(PLACES, asked.url, asked.port)
    elif asked.command == "controller":
        controller.run(PLACES, asked.url, demo_files.load_houses(asked.folder))
    elif asked.command == "leak":
        body = {"node": asked.node, "scfm": asked.scfm}
        print(httpx.post(f"http://127.0.0.1:{asked.port}/leaks", json=body).json())
    else:
        print(httpx.delete(f"http://127.0.0.1:{asked.port}/leaks/{asked.node}").json())


if __name__ == "__main__":
    main()
