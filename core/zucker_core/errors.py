"""What the core says when it is asked something it cannot answer."""

from __future__ import annotations


class CoreError(ValueError):
    """Any refusal of the core: its text is fit to be shown to a person."""


class OutOfRange(CoreError):
    """A value lies outside the range in which a formula holds.

    Parameters
    ----------
    name : the parameter at fault
    value : what was given (for an array, the first offending element)
    low, high : the range that is allowed, both ends included
    unit : unit of value, low and high
    """

    def __init__(self, name: str, value: float, low: float, high: float, unit: str) -> None:
        self.name, self.value, self.low, self.high, self.unit = name, value, low, high, unit
        unit_text = f" {unit}" if unit else ""
        super().__init__(f"{name} is {value:g}{unit_text}; it must lie between {low:g} and {high:g}{unit_text}")


class Inconsistent(CoreError):
    """Two or more values that do not go together; `name` is the one to look at first."""

    def __init__(self, name: str, message: str) -> None:
        self.name = name
        super().__init__(message)


class NetworkError(CoreError):
    """A network of lines that cannot be solved; `feature` is the tag of the culprit."""

    def __init__(self, feature: str, message: str) -> None:
        self.feature = feature
        super().__init__(f"{feature}: {message}")
