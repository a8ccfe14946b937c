"""The bush gateway: gauges and releasers of every valley, sent each minute; pumps turned when asked; leaks on command.

`POST /leaks {"node": "UN-07.9", "scfm": 1.0}` opens one, `DELETE /leaks/UN-07.9` mends it, `GET /leaks` lists them.
`POST /stations {"tag": "UN-PUMP", "local": true}` turns the switch at a pump house.
"""

from __future__ import annotations

import json
import threading
import time
from datetime import datetime, timedelta
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import httpx
import numpy as np

from .gauges import Gauges, seconds_of
from .places import SEED, TOKENS, Place
from .post import Server
from .pump_house import PumpHouse
from .weather import Weather

EVERY = timedelta(minutes=1)
MOST_AT_ONCE = 240


class Gateway:
    """One operation's bush, minute by minute."""

    def __init__(self, place: Place, url: str) -> None:
        self.place, self.server = place, Server(url, TOKENS[place.slug])
        self.weather = Weather(place)
        self.valleys = [Gauges(place, valley, self.weather) for valley in place.valleys]
        self.houses = [PumpHouse(f"{v.prefix}-PUMP", v.slug, hours=1860.0 + 37.5 * k) for k, v in enumerate(place.valleys)]
        self.rng = np.random.default_rng([SEED, 7])
        self.sent_to: datetime | None = None

    def run_to(self, now: datetime) -> int:
        """Make and send all minutes up to `now`; returns how many readings were new."""
        start = self.sent_to or now - 2 * EVERY
        count = min(int((now - start) / EVERY), MOST_AT_ONCE)
        if count <= 0:
            return 0
        moments = [start + EVERY * (i + 1) for i in range(count)]
        seconds = np.array([seconds_of(moment) for moment in moments])
        for gauges, house in zip(self.valleys, self.houses, strict=True):
            share = house.share(seconds)
            house.hours += count / 60 if house.running else 0.0
            for tag, values in gauges.series(seconds, self.rng).items():
                for moment, value in zip(moments, values * share, strict=True):
                    if np.isfinite(value):
                        self.server.queue(tag, moment, round(float(value) / 3386.389, 3), "inHg")
            flow = np.asarray(self.weather.at("sap", seconds)) * gauges.taps * 3600 / 3.785411784e-3
            for moment, gallons in zip(moments, flow, strict=True):
                noisy = max(gallons * (1 + self.rng.normal(0, 0.02)), 0.0)
                self.server.queue(f"{gauges.valley.prefix}-FLOW", moment, round(noisy, 1), "gph")
        self.sent_to = moments[-1]
        return self.server.flush()

    def tend_stations(self, now: datetime) -> list[str]:
        """Tell how the pumps stand, do what they are asked, say so; returns what was done."""
        done = []
        for asked in self.server.tell_stations([{**house.told(), "at": now.isoformat()} for house in self.houses]):
            house = next(h for h in self.houses if h.tag == asked["station"])
            did, reason = house.asked(asked["action"], seconds_of(now))
            self.server.answer_station(asked["id"], did, reason)
            done.append(f"{asked['action']} {house.tag}: {'done' if did else reason}")
        if done:  # so that nobody waits a minute to see it
            self.server.tell_stations([{**house.told(), "at": now.isoformat()} for house in self.houses])
        return done

    def find(self, node: str) -> Gauges | None:
        return next((g for g in self.valleys if node in g.network.index), None)


def control(gateways: list[Gateway], port: int) -> ThreadingHTTPServer:
    """The stand-in's own switchboard on this machine: leaks open and close here."""

    class Switchboard(BaseHTTPRequestHandler):
        def answer(self, status: int, body: object) -> None:
            data = json.dumps(body).encode()
            self.send_response(status)
            self.send_header("Content-Type", "application/json")
            self.send_header("Content-Length", str(len(data)))
            self.end_headers()
            self.wfile.write(data)

        def do_GET(self) -> None:
            self.answer(200, {node: size for g in gateways for v in g.valleys for node, (size, _) in v.leaks.items()})

        def do_POST(self) -> None:
            asked = json.loads(self.rfile.read(int(self.headers["Content-Length"])))
            if self.path == "/stations":
                for house in (h for g in gateways for h in g.houses if h.tag == asked["tag"]):
                    house.local = bool(asked["local"])
                return self.answer(200, asked)
            for gateway in gateways:
                gauges = gateway.find(asked["node"])
                if gauges is not None:
                    gauges.open(asked["node"], float(asked["scfm"]), seconds_of(gateway.server.now()))
                    return self.answer(201, asked)
            return self.answer(404, {"error": f"no bush has a point {asked['node']!r}"})

        def do_DELETE(self) -> None:
            node = self.path.rsplit("/", 1)[-1]
            for gateway in gateways:
                gauges = gateway.find(node)
                if gauges is not None:
                    gauges.close(node)
            self.answer(200, {"mended": node})

        def log_message(self, *args: object) -> None:
            pass

    server = ThreadingHTTPServer(("127.0.0.1", port), Switchboard)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return server


def run(places: tuple[Place, ...], url: str, port: int) -> None:
    """Send for ever; an unreachable server is tried again."""
    gateways = [Gateway(place, url) for place in places]
    control(gateways, port)
    while True:
        for gateway in gateways:
            try:
                gateway.run_to(gateway.server.now())
                gateway.tend_stations(gateway.server.now())
            except httpx.HTTPError as error:
                print(f"bush gateway: {type(error).__name__}, trying again", flush=True)
                time.sleep(2.0)
        time.sleep(1.0)
