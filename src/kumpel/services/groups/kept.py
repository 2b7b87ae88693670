"""Groups on record: made, changed by versions, split, taken away with a way back."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field
from sqlmodel import Session as Db
from sqlmodel import col, func, select

from kumpel.core.names import clean_line
from kumpel.kinds.registry import KINDS, kind_of
from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.people import person_of
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.store.database import tell
from kumpel.store.tables import GroupSignature, MeasuredGroup, MeasuredGroupVersion, now

MOST_PEOPLE, MOST_LEFT_OUT = 500, 2_000


class LeftOut(BaseModel):
    """A session that somebody left out of a group, and why."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    session_id: int = Field(gt=0, lt=2**31)
    why: str = Field(min_length=1, max_length=200)


class GroupWish(BaseModel):
    """Who is in a group and what counts of them.

    The people by name (`people`), or everybody of a team; of their sessions those with the task, at the place, within the days (the last
    one among them). `figure` is one that the kind looks at over people, `step` the level of its limits that the group is held
    against (empty: the limit value), `floor` the least that can be measured. Only what is signed off counts, unless `unsigned`.
    """

    model_config = ConfigDict(extra="forbid")
    figure: str = Field(default="", max_length=80)
    step: str = Field(default="", max_length=120)
    team: str = Field(default="", max_length=120)
    task: str = Field(default="", max_length=200)
    place: str = Field(default="", max_length=200)
    people: list[Annotated[int, Field(gt=0, lt=2**31)]] = Field(default_factory=list, max_length=MOST_PEOPLE)
    since: date | None = None
    until: date | None = None
    floor: float | None = Field(default=None, gt=0, lt=1e9, allow_inf_nan=False)
    left_out: list[LeftOut] = Field(default_factory=list, max_length=MOST_LEFT_OUT)
    unsigned: bool = False


def groups(db: Db) -> list[tuple[MeasuredGroup, MeasuredGroupVersion]]:
    """All groups with the version that holds, by name."""
    newest = select(func.max(MeasuredGroupVersion.id)).group_by(col(MeasuredGroupVersion.group_id))
    found = db.exec(
        select(MeasuredGroup, MeasuredGroupVersion)
        .join(MeasuredGroupVersion, col(MeasuredGroupVersion.group_id) == MeasuredGroup.id)
        .where(col(MeasuredGroup.removed_at).is_(None), col(MeasuredGroupVersion.id).in_(newest))
        .order_by(func.lower(MeasuredGroup.name))
    ).all()
    return [(group, version) for group, version in found]


def group_of(db: Db, group_id: int) -> MeasuredGroup:
    group = db.get(MeasuredGroup, group_id)
    if group is None or group.removed_at is not None:
        raise NotFoundError("This group is not on record.")
    return group


def version_of(db: Db, group_id: int) -> MeasuredGroupVersion:
    """The version that holds."""
    mine = select(MeasuredGroupVersion).where(MeasuredGroupVersion.group_id == group_id)
    return db.exec(mine.order_by(col(MeasuredGroupVersion.number).desc()).limit(1)).one()


def wish_of(version: MeasuredGroupVersion) -> GroupWish:
    return GroupWish.model_validate(version.wish)


def create(db: Db, name: str, kind: str, wish: GroupWish, who: int | None = None) -> MeasuredGroup:
    """A group of a kind that looks at people together. InvalidError names what is missing, ConflictError a name that is taken."""
    deeds.ask(db, "group made", Whom("team", wish.team or None))
    name = clean_line(name).strip()
    if not name:
        raise InvalidError("A group needs a name.", field="name")
    if kind not in KINDS or not KINDS[kind].groups:
        raise InvalidError("This kind of recording is not looked at over a group.", field="kind")
    wish = _checked(db, kind, wish)
    _name_is_free(db, name, None)
    group = MeasuredGroup(name=name[:120], kind=kind, made_by=who)
    db.add(group)
    db.flush()
    db.add(MeasuredGroupVersion(group_id=group.id or 0, number=1, wish=wish.model_dump(mode="json"), made_by=who))
    deeds.keep(db, "group made", Whom("group", group.id), after={"name": name, **wish.model_dump(mode="json")}, who=who)
    tell(db, "groups")
    db.commit()
    db.refresh(group)
    return group


def _name_is_free(db: Db, name: str, but: int | None) -> None:
    same = select(MeasuredGroup.id).where(
        func.lower(MeasuredGroup.name) == name.lower(),
        col(MeasuredGroup.removed_at).is_(None),
        MeasuredGroup.id != (but or 0),
    )
    if db.exec(same).first() is not None:
        raise ConflictError(f"There is a group “{name}” already. Choose another name.", code="same-name")


def _checked(db: Db, kind: str, wish: GroupWish) -> GroupWish:
    known = [rule.figure for rule in kind_of(kind).groups]
    figure = wish.figure or known[0]
    if figure not in known:
        raise InvalidError(
            f"{kind_of(kind).name} is not looked at over a group by this figure: {figure}.", field="figure"
        )
    if wish.since and wish.until and wish.until < wish.since:
        raise InvalidError("The last day lies before the first one.", field="until")
    for person_id in wish.people:
        person_of(db, person_id)
    if not wish.people and not any(text.strip() for text in (wish.team, wish.task, wish.place)):
        raise InvalidError("Say who is in it: people by name, or a team, a task or a place.", field="people")
    people = sorted(set(wish.people))
    left_out = list({each.session_id: each for each in wish.left_out}.values())
    return wish.model_copy(update={"figure": figure, "people": people, "left_out": left_out})


def locked(db: Db, group_id: int) -> MeasuredGroup:
    """A group, held by whoever is to change it."""
    row = db.exec(select(MeasuredGroup).where(MeasuredGroup.id == group_id).with_for_update()).first()
    if row is None or row.removed_at is not None:
        raise NotFoundError("This group is not on record.")
    db.refresh(row)
    return row


def signature_of(db: Db, group_id: int) -> GroupSignature | None:
    """The signature in force; None when the conclusion is not signed."""
    mine = select(GroupSignature).where(GroupSignature.group_id == group_id, col(GroupSignature.opened_at).is_(None))
    return db.exec(mine).first()


def change(
    db: Db, group_id: int, seen: int, wish: GroupWish, name: str | None = None, who: int | None = None
) -> MeasuredGroupVersion:
    """A new version; `seen` is the one that it was made from. ConflictError when somebody was faster, or the conclusion is signed."""
    deeds.ask(db, "group changed", Whom("group", group_id))
    group = locked(db, group_id)
    if signature_of(db, group_id) is not None:
        raise ConflictError("The conclusion of this group is signed. Open it again before changing it.", code="signed")
    before = version_of(db, group_id)
    if before.number != seen:
        raise ConflictError(
            "Somebody else has changed this group since you looked. Nothing was changed; look again.",
            code="stale-group",
        )
    if name is not None:
        name = clean_line(name).strip()
        if not name:
            raise InvalidError("A group needs a name.", field="name")
        _name_is_free(db, name, group_id)
        group.name = name[:120]
        db.add(group)
    wish = _checked(db, group.kind, wish)
    made = MeasuredGroupVersion(
        group_id=group_id, number=before.number + 1, wish=wish.model_dump(mode="json"), made_by=who
    )
    db.add(made)
    deeds.keep(db, "group changed", Whom("group", group_id), before.wish, made.wish, who)
    tell(db, "groups", group=group_id)
    db.commit()
    db.refresh(made)
    return made


def split(
    db: Db, group_id: int, seen: int, people: Sequence[int], stay: Sequence[int], name: str, who: int | None = None
) -> MeasuredGroup:
    """Some of a group become one of their own, the others stay; both by name from now on."""
    group, version = group_of(db, group_id), version_of(db, group_id)
    if not people or not stay or set(people) & set(stay):
        raise InvalidError("Some people go and some stay, nobody does both.", field="people")
    wish = wish_of(version)
    # The group first: when somebody was faster, nothing is made.
    change(db, group_id, seen, wish.model_copy(update={"people": [*stay], "team": ""}), who=who)
    try:
        return create(db, name, group.kind, wish.model_copy(update={"people": [*people], "team": ""}), who)
    except Exception:
        db.rollback()
        change(db, group_id, version_of(db, group_id).number, wish, who=who)
        raise


def remove(db: Db, group_id: int, who: int | None = None) -> None:
    """Take a group off the list; its sessions and its reports stay."""
    deeds.ask(db, "group removed", Whom("group", group_id))
    group = locked(db, group_id)
    group.removed_at = now()
    db.add(group)
    deeds.keep(db, "group removed", Whom("group", group_id), who=who)
    tell(db, "groups", group=group_id)
    db.commit()


def bring_back(db: Db, group_id: int, who: int | None = None) -> None:
    deeds.ask(db, "group brought back", Whom("group", group_id))
    group = db.get(MeasuredGroup, group_id)
    if group is None:
        raise NotFoundError("This group is not on record.")
    _name_is_free(db, group.name, group_id)
    group.removed_at = None
    db.add(group)
    deeds.keep(db, "group brought back", Whom("group", group_id), who=who)
    tell(db, "groups", group=group_id)
    db.commit()
