"""Change a person's units and theme."""

from __future__ import annotations

from ..models import Person


def set_preferences(person: Person, units: str | None, theme: str | None) -> Person:
    """Keep what is given, leave the rest."""
    if units is not None:
        person.units = units
    if theme is not None:
        person.theme = theme
    person.save(update_fields=["units", "theme"])
    return person
