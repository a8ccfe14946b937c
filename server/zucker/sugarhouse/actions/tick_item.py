"""Tick a line of a list for today, or take the tick back."""

from __future__ import annotations

from ... import clock
from ...config.errors import Refused
from ...people.models import Operation, Person
from ..lists import lists_now, today
from ..models import Tick


def tick_item(operation: Operation, person: Person, name: str, item: str, done: bool) -> None:
    """Who ticks first is kept. Raises Refused for a list or line that this equipment does not have."""
    known = next((one for one in lists_now(operation) if one["name"] == name), None)
    if known is None:
        raise Refused("list", f"there is no list {name!r}", value=name)
    if item not in {line["key"] for line in known["items"]}:
        raise Refused("item", f"the list {name!r} has no line {item!r}", value=item)
    day = today(operation)
    if done:
        Tick.objects.get_or_create(operation=operation, day=day, list=name, item=item, defaults={"at": clock.now(), "by": person})
    else:
        Tick.objects.of(operation).filter(day=day, list=name, item=item).delete()
