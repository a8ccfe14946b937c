"""Keep a photo taken on a hunt: made small, turned upright, and stripped of where and with what it was taken."""

from __future__ import annotations

import io
import uuid
from datetime import datetime
from typing import Any

from django.db import transaction
from PIL import Image, ImageOps, UnidentifiedImageError

from ...config.errors import Refused
from ..models import CaseStep, LeakCase, Photo
from .log_step import log_step

LONGEST_PX = 1600
MOST_BYTES = 3_500_000
MOST_PIXELS = 60_000_000


@transaction.atomic
def keep_photo(
    case: LeakCase, person: Any, data: bytes, text: str, place: str, at: datetime, token: uuid.UUID, now: datetime
) -> CaseStep:
    """A step of kind "photo". A token that is known returns its step. Raises Refused for what is no picture."""
    known = CaseStep.objects.filter(case=case, token=token).first()
    if known is not None:
        return known
    small, width, height = _made_small(data)
    step = log_step(case, person, "photo", place, {"text": text} if text else {}, at, token, now)
    Photo.objects.create(step=step, jpeg=small, width=width, height=height)
    return step


def _made_small(data: bytes) -> tuple[bytes, int, int]:
    if len(data) > MOST_BYTES:
        raise Refused("photo", f"is {len(data):,} bytes; at most {MOST_BYTES:,} are taken", 413)
    try:
        with Image.open(io.BytesIO(data), formats=("JPEG", "PNG", "WEBP")) as opened:
            if opened.width * opened.height > MOST_PIXELS:
                raise Refused("photo", f"has {opened.width} x {opened.height} pixels; at most {MOST_PIXELS:,} in all are taken")
            picture = ImageOps.exif_transpose(opened).convert("RGB")
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise Refused("photo", "is no JPEG, PNG or WebP picture that can be read") from None
    picture.thumbnail((LONGEST_PX, LONGEST_PX))
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=80, optimize=True)
    return out.getvalue(), picture.width, picture.height
