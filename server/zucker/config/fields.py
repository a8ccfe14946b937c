"""Types that requests are made of: bounded numbers and texts, so that the database is never surprised."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from ninja import Schema
from pydantic import AwareDatetime, ConfigDict, Field, StringConstraints

Slug = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")]
Tag = Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9][A-Za-z0-9._/-]{0,39}$")]
Text = Annotated[str, StringConstraints(max_length=2000, pattern=r"^[^\x00]*$", strip_whitespace=True)]
ShortText = Annotated[str, StringConstraints(min_length=1, max_length=80, pattern=r"^[^\x00]+$", strip_whitespace=True)]
Id = Annotated[int, Field(ge=1, le=2**62)]
Moment = Annotated[datetime, AwareDatetime]



Brix = Annotated[float, Field(ge=0, le=80, allow_inf_nan=False)]
SapBrix = Annotated[float, Field(ge=0.2, le=20, allow_inf_nan=False)]
Celsius = Annotated[float, Field(ge=-60, le=130, allow_inf_nan=False)]
Volume = Annotated[float, Field(ge=0, le=10_000, allow_inf_nan=False)]
Money = Annotated[float, Field(ge=0, le=1e7, allow_inf_nan=False)]


class Strict(Schema):
    """A request body: unknown fields are refused, so that a misspelt one is not silently lost."""

    model_config = ConfigDict(extra="forbid")
