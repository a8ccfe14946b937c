"""The pump houses: whether each pump runs, for how long it has, and what it does when it is asked to start or stop."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

FADES_S = 420.0
"""With the pump off the lines lose most of their vacuum in some minutes."""
DRAWS_S = 150.0


@dataclass
class PumpHouse:
    """One pump. local : the switch at the pump house stands on local, so that nobody turns it from afar."""

    tag: str
    bush: str
    hours: float
    running: bool = True
    local: bool = False
    turned_at_s: float | None = None

    def asked(self, action: str, now_s: float) -> tuple[bool, str]:
        """Do what was asked, or say why not."""
        if self.local:
            return False, "the switch at the pump house stands on local"
        if self.running != (action == "start"):
            self.running, self.turned_at_s = action == "start", now_s
        return True, ""

    def share(self, seconds: np.ndarray) -> np.ndarray:
        """Share of the full vacuum at these moments."""
        if self.turned_at_s is None:
            return np.ones(len(seconds)) if self.running else np.zeros(len(seconds))
        since = np.maximum(seconds - self.turned_at_s, 0.0)
        now = 1.0 - np.exp(-since / DRAWS_S) if self.running else np.exp(-since / FADES_S)
        return np.where(seconds < self.turned_at_s, 0.0 if self.running else 1.0, now)

    def told(self) -> dict[str, object]:
        """What the gateway says of it."""
        return {"tag": self.tag, "bush": self.bush, "running": self.running, "local": self.local, "hours": round(self.hours, 1)}
