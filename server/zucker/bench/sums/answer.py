"""What every sum answers with: its figures, its working and what it may be off by."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(frozen=True)
class Figure:
    """One answer, SI; `dimension` tells the interface how to show it."""

    label: str
    value: float
    dimension: str
    digits: int


@dataclass(frozen=True)
class Answer:
    """figures, the first of which is the answer; working, line by line; uncertainty in words."""

    figures: list[Figure]
    working: list[str]
    uncertainty: str
    grade: str | None = None
    source: str = field(default="")
