"""How exactly a vacuum gauge shows what it shows."""

from __future__ import annotations

import numpy as np

from ..units import PA_PER_INHG

NOISE_PA = 0.10 * PA_PER_INHG
"""One standard deviation of a single reading of an ordinary radio gauge (0.05 to 0.15 inHg are seen)."""
MEAN_NOISE_PA = float(NOISE_PA / np.sqrt(10.0))
"""Of a ten-minute mean of one reading a minute."""
HAND_NOISE_PA = 0.25 * PA_PER_INHG
"""One standard deviation of a dial gauge read by eye."""
