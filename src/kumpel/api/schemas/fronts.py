"""How something came to the people of a crew."""

from __future__ import annotations

from datetime import datetime

from pydantic import Field

from kumpel.api.schemas.common import Out


class Arrival(Out):
    """Where somebody first met something: degrees, and metres east and north of the middle of all."""

    session_id: int
    at: datetime
    lat: float
    lon: float
    east_m: float
    north_m: float


class Front(Out):
    """How something came to the people of a crew, in order of time; `why_not` says why no speed and direction is told."""

    arrivals: list[Arrival]
    speed_m_min: float | None
    bearing_deg: float | None = Field(description="that it moves in, from north, clockwise")
    apart_s: float | None = Field(description="how far the times lie from that front, root mean square")
    why_not: str
