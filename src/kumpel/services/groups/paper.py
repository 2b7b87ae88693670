"""The page of a group: everybody on one scale, the numbers that lead to the verdict, who is missing, what does not count."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from datetime import datetime

from pydantic import BaseModel
from sqlmodel import Session as Db

from kumpel.core import groups as core
from kumpel.core.rounding import shown
from kumpel.kinds.registry import kind_of
from kumpel.reports.document import Document, Fact, Facts, Part, Picture, TablePart, TextPart
from kumpel.reports.document import Signature as SignatureLine
from kumpel.reports.people_picture import Row, Whole, people_on_one_scale
from kumpel.reports.pictures import LimitLine
from kumpel.services.ground import settings
from kumpel.services.groups.findings import Look
from kumpel.services.groups.measured import WAITS, Measured
from kumpel.services.report.paper import House

SHAPES = {
    core.COMPLIES: "within",
    core.EXCEEDS: "above limit",
    core.NOT_ALIKE: "action level reached",
    core.MORE: "not assessable",
}
"""The verdict of a group as a shape; one without a limit has none."""
WORDS = {
    core.COMPLIES: "below the limit, as shown by the rule",
    core.EXCEEDS: "not below the limit",
    core.NOT_ALIKE: "group not alike, split it first",
    core.MORE: "more measurements needed",
    core.NO_LIMIT: "no limit to hold it against",
}
Who = Callable[[int], str]


class GroupPaper(BaseModel):
    """Every part of a group's page, with names and without, in words as they are printed."""

    name: str
    subtitle: str
    verdict: str
    words: str
    origin: str
    named: list[Part]
    unnamed: list[Part]
    conclusion: str = ""
    signer: str = ""
    signed_on: str = ""
    house: House = House()


def made(db: Db, seen: Look) -> GroupPaper:
    """The page of a group as its measurements stand now."""
    found = seen.findings
    names = {member.id: member.name for member in seen.found.members}
    places = {member.id: f"P{n}" for n, member in enumerate(seen.found.members, 1)}
    name, address = (
        str(settings.value_of(db, word, team=seen.wish.team)) for word in (settings.NAME, settings.ADDRESS)
    )
    return GroupPaper(
        name=seen.group.name,
        subtitle=_subtitle(seen),
        verdict=SHAPES.get(found.verdict, "") if found else "not assessable",
        words=WORDS[found.verdict] if found else seen.why_not,
        origin=_origin(seen),
        named=_parts(seen, lambda person_id: names[person_id]),
        unnamed=_parts(seen, lambda person_id: places[person_id]),
        conclusion=seen.group.conclusion,
        house=House(name=name, address=address, logo=settings.logo_id(db, seen.wish.team)),
    )


def signed(paper: GroupPaper, signer: str, at: datetime) -> GroupPaper:
    return paper.model_copy(update={"signer": signer, "signed_on": f"{at:%d %b %Y}"})


def document(paper: GroupPaper, *, named: bool, number: str = "", logo: str = "") -> Document:
    """The page as a document."""
    parts: list[Part] = [*(paper.named if named else paper.unnamed)]
    parts.append(TextPart(title="Conclusion", text=paper.conclusion))
    parts.append(SignatureLine(name=paper.signer, date=paper.signed_on))
    return Document(
        title=paper.name,
        subtitle=paper.subtitle,
        token="",
        verdict=paper.verdict,
        words=paper.words,
        footer=f"Kumpel{', report ' + number if number else ''}. {paper.origin}",
        draft=not number,
        house=paper.house.name,
        address=paper.house.address,
        logo=logo,
        parts=parts,
    )


def _subtitle(seen: Look) -> str:
    counted = seen.counted
    people = len({each.person_id for each in counted})
    days = sorted(each.day for each in counted)
    span = f"{days[0]:%d %b %Y} to {days[-1]:%d %b %Y}" if days else "nothing measured"
    count = f"{len(counted)} measurement{'s' if len(counted) != 1 else ''}"
    whom = f"{people} of {len(seen.found.members)} {'person' if len(seen.found.members) == 1 else 'people'}"
    return f"{kind_of(seen.group.kind).name}, {seen.found.figure_name or seen.wish.figure}, {count}, {whom}, {span}"


def _origin(seen: Look) -> str:
    source = core.SOURCE if seen.logarithmic else core.DAILY_SOURCE
    return f"Rule: {source}. Group method {core.METHOD}, version {seen.version} of the group"


def _parts(seen: Look, who: Who) -> list[Part]:
    parts: list[Part] = [Facts(facts=_facts(seen)), _picture(seen, who)]
    if seen.findings is not None:
        parts.append(TablePart(title="Is the group below the limit?", columns=["", ""], rows=numbers(seen)))
        if seen.findings.split is not None:
            parts.append(TextPart(title="Not alike", text=split_words(seen, who)))
    parts.append(TablePart(title="Every measurement", columns=["Who", "Day", "Value", "Counts"], rows=_rows(seen, who)))
    missing = [who(m.id) for m in seen.found.members if not any(each.counts for each in seen.found.of(m.id))]
    if missing:
        parts.append(TextPart(title="Nothing that counts was measured of", text=", ".join(missing) + "."))
    return parts


def _facts(seen: Look) -> list[Fact]:
    wish, step = seen.wish, seen.step
    said = {
        "Who": "people by name" if wish.people else wish.team or "whoever fits",
        "Task": wish.task,
        "Place": wish.place,
        "From": f"{wish.since:%d %b %Y}" if wish.since else "",
        "To": f"{wish.until:%d %b %Y}" if wish.until else "",
        "Held against": f"{step.value:g} {seen.found.unit}, {step.name}" if step else "no limit",
        "Least that can be measured": f"{wish.floor:g} {seen.found.unit}" if wish.floor else "",
    }
    return [Fact(label=label, value=value) for label, value in said.items() if value]


def _picture(seen: Look, who: Who) -> Picture:
    rows = []
    for member in seen.found.members:
        mine = [each for each in seen.found.of(member.id) if each.value is not None]
        values = [each.value for each in mine if each.counts and each.value is not None]
        out = [each.value for each in mine if not each.counts and each.value is not None]
        rows.append(Row(who(member.id), values, mean(values, seen.logarithmic), out, "" if mine else "not measured"))
    whole = whole_of(seen)
    lines = [LimitLine(step.value, step.name, step.verdict) for step in seen.found.steps]
    told = "; ".join(f"{row.name} {', '.join(f'{v:g}' for v in row.values) or 'nothing that counts'}" for row in rows)
    return Picture(
        title="Everybody on one scale",
        svg=people_on_one_scale(rows, whole, lines, seen.found.unit, logarithmic=seen.logarithmic),
        text=told,
    )


def whole_of(seen: Look) -> Whole | None:
    """The group as one mark on the scale; None where nothing can be said of it."""
    found = seen.findings
    if found is None:
        return None
    if found.daily is not None and found.daily.days is not None:
        days = found.daily.days
        return Whole(days.level_db, days.level_db - days.expanded_db, days.level_db + days.expanded_db, found.group.p95)
    return Whole(found.group.centre, math.nan, math.nan, found.group.p95)


def mean(values: Sequence[float], logarithmic: bool) -> float:
    """The geometric mean of concentrations, the arithmetic one of decibels; nan of none, and where one has no logarithm."""
    if not values or (logarithmic and min(values) <= 0):
        return math.nan
    return math.exp(sum(map(math.log, values)) / len(values)) if logarithmic else sum(values) / len(values)


def _said(value: float, decimals: int, unit: str = "") -> str:
    if math.isnan(value):
        return "not known"
    return f"{shown(value, decimals)} {unit}".strip()


def _share(value: float) -> str:
    if math.isnan(value):
        return "not known"
    return "under 0.1 %" if value < 0.001 else f"{shown(100 * value, 1)} %"


def numbers(seen: Look) -> list[list[str]]:
    """The numbers that lead to the verdict, each with what it is."""
    found = seen.findings
    if found is None:
        return []
    group, unit, log = found.group, seen.found.unit, seen.logarithmic
    decimals = 3 if log else 1
    people = len({each.person_id for each in seen.counted})
    rows = [
        ["Measurements, people", f"{group.count}, {people}"],
        ["Geometric mean" if log else "Mean of the values", _said(group.centre, decimals, unit)],
        ["Geometric standard deviation" if log else "Standard deviation", _said(group.spread, 2, "" if log else "dB")],
        ["95th percentile", _said(group.p95, decimals, unit)],
        ["Upper limit of it, 70 %", _said(group.tolerance, decimals, unit)],
        ["Share above", _share(group.share_above)],
        ["at most, with 70 % and 95 %", f"{_share(group.share_70)}, {_share(group.share_95)}"],
    ]
    if group.below:
        rows.append(["Below what can be measured", f"{group.below} of {group.count}; fitted to the others' order"])
    normal = "not tested" if math.isnan(group.p_normal) else _p(group.p_normal)
    rows.append(["Log-normal" if log else "Normal", normal])
    if found.alike.is_known:
        spreads = [found.alike.within, found.alike.between]
        said = [_said(math.exp(s), 2) if log else _said(s, 1, "dB") for s in spreads]
        rows.append(["From day to day, between people", ", ".join(said)])
        rows.append(["People alike", _p(found.alike.p)])
    else:
        rows.append(["People alike", "not known: nobody was measured twice, or it is one person"])
    rows.append(["Rule", found.words])
    rows.append(["Verdict", WORDS[found.verdict]])
    if found.more is not None:
        rows.append(["Further measurements that would decide", f"{found.more}, if mean and spread stay"])
    elif found.verdict in (core.MORE, core.EXCEEDS):
        rows.append(["Further measurements that would decide", "no number helps: lower the exposure"])
    return rows


def _p(value: float) -> str:
    words = "no" if value < core.NOT_BY_CHANCE else "nothing says otherwise"
    return f"{words} (p {'below 0.001' if value < 0.001 else shown(value, 3)})"


def split_words(seen: Look, who: Who) -> str:
    """Who would go and who would stay if the group were split."""
    split = seen.findings.split if seen.findings else None
    if split is None:
        return ""
    members = seen.found.members
    low, high = ([who(members[index].id) for index in part] for part in (split.lower, split.upper))
    return f"The people differ by more than their days do. Split: {', '.join(low)}; {', '.join(high)}."


def _rows(seen: Look, who: Who) -> list[list[str]]:
    def counts(each: Measured) -> str:
        if each.counts:
            return "yes"
        return f"no: {each.why_not}" if each.why_not != WAITS else "no: not signed off when this was made"

    return [
        [who(each.person_id), f"{each.day:%d %b %Y}", value_words(each, seen), counts(each)]
        for each in sorted(seen.found.measured, key=lambda each: (who(each.person_id), each.day))
    ]


def value_words(each: Measured, seen: Look) -> str:
    """A value with its unit; of one below what can be measured just that."""
    if each.value is None:
        return "not measured"
    if seen.wish.floor is not None and each.value < seen.wish.floor:
        return f"below {seen.wish.floor:g} {each.unit}"
    return f"{each.value:g} {each.unit}"
