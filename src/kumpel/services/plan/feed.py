"""The plan as a calendar (RFC 5545): a whole day for everything that is due; with names only where that is wished."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta

import icalendar

from kumpel import __version__
from kumpel.kinds.registry import KINDS
from kumpel.services.plan.ahead import CheckDue, Item, Plan

REFRESH = timedelta(hours=1)


def calendar(plan: Plan, house: str, *, named: bool, at: datetime | None = None) -> bytes:
    """The calendar's bytes. Without names a recording is told by its kind and its team alone."""
    made = icalendar.Calendar()
    made.add("prodid", f"-//Kumpel {__version__}//plan//EN")
    made.add("version", "2.0")
    made.add("method", "PUBLISH")
    made.add("x-wr-calname", f"Plan, {house}" if house else "Plan")
    made.add("refresh-interval", REFRESH, parameters={"VALUE": "DURATION"})
    stamp = at or datetime.now(UTC)
    for item in plan.items:
        made.add_component(_event(f"rule-{item.rule_id}-{item.person_id}", item.day, *_words(item, named), stamp))
    for check in plan.checks:
        day = max(check.on, plan.today)
        uid = "-".join(f"check {check.recorder_id} {check.label} {check.sensor}".split())
        made.add_component(_event(uid, day, *_check_words(check), stamp))
    return bytes(made.to_ical())


def _words(item: Item, named: bool) -> tuple[str, str]:
    kind = KINDS[item.kind].name if item.kind in KINDS else item.kind
    late = " (overdue)" if item.due.state == "overdue" else ""
    whom = item.name if named else item.team or "one person"
    return f"{kind}, {whom}{late}", f"By {item.due.deadline:%d %b %Y}; {item.due.missing} missing."


def _check_words(check: CheckDue) -> tuple[str, str]:
    return f"{check.label}, {check.token}{' (overdue)' if check.overdue else ''}", check.words


def _event(uid: str, day: date, summary: str, about: str, stamp: datetime) -> icalendar.Event:
    event = icalendar.Event()
    event.add("uid", f"{uid}@kumpel")
    event.add("dtstamp", stamp)
    event.add("dtstart", day)
    event.add("dtend", day + timedelta(days=1))
    event.add("summary", summary)
    event.add("description", about)
    event.add("transp", "TRANSPARENT")
    return event
