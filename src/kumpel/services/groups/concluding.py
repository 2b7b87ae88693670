"""The conclusion on a group: written, signed with everything it rests on, opened again with a reason."""

from __future__ import annotations

from sqlmodel import Session as Db

from kumpel.core.names import clean_line
from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.services.groups import findings, kept, paper
from kumpel.services.report.conclusions import MOST_LINES
from kumpel.store.database import tell
from kumpel.store.tables import Account, GroupSignature, MeasuredGroup, now


def conclude(db: Db, group_id: int, text: str, who: int | None, version: int) -> MeasuredGroup:
    """Keep the text while it is written. ConflictError when it is signed, or somebody else has written meanwhile."""
    if text.count("\n") >= MOST_LINES:
        raise InvalidError(f"The conclusion has more than {MOST_LINES} lines. It was not kept; shorten it.")
    deeds.ask(db, "concluded", Whom("group", group_id))
    group = kept.locked(db, group_id)
    if kept.signature_of(db, group_id) is not None:
        raise ConflictError("The conclusion of this group is signed. Open it again before changing it.", code="signed")
    if group.conclusion_version != version:
        raise ConflictError(
            "Somebody else has written a conclusion since you looked. Yours was not kept; it is still in the field.",
            code="stale-conclusion",
        )
    group.conclusion, group.conclusion_version = text, version + 1
    db.add(group)
    tell(db, "groups", group=group_id)
    db.commit()
    db.refresh(group)
    return group


def sign(db: Db, group_id: int, version: int, conclusion_version: int, who: int) -> GroupSignature:
    """Sign just what was on the screen: the group and the conclusion of these versions. Each value that counts and every part of the
    page are pinned; nothing that happens to sessions, people or limits changes them afterwards."""
    deeds.ask(db, "signed off", Whom("group", group_id))
    group = kept.locked(db, group_id)
    if kept.signature_of(db, group_id) is not None:
        raise ConflictError("The conclusion of this group is signed already.", code="signed")
    if kept.version_of(db, group_id).number != version or group.conclusion_version != conclusion_version:
        raise ConflictError(
            "The group or its conclusion is not the one you see: somebody has changed it. Nothing was signed; look again.",
            code="stale-group",
        )
    seen = findings.look(db, group_id)
    if not seen.counted:
        raise ConflictError("No measurement counts yet: there is nothing to conclude from.", code="nothing-measured")
    signer, at = db.get_one(Account, who), now()
    pages = paper.signed(paper.made(db, seen), signer.name, at)
    row = GroupSignature(
        group_id=group_id,
        number=version,
        conclusion=group.conclusion,
        frozen=findings.as_signed(seen) | {"pages": pages.model_dump(mode="json")},
        signed_at=at,
        signed_by=who,
    )
    db.add(row)
    deeds.keep(db, "signed off", Whom("group", group_id), after={"version": version, "n": len(seen.counted)}, who=who)
    tell(db, "groups", group=group_id)
    db.commit()
    db.refresh(row)
    return row


def open_again(db: Db, group_id: int, who: int, why: str) -> None:
    """Open a signed conclusion for changes. The signature stays on record, with who opened it and why."""
    deeds.ask(db, "opened again", Whom("group", group_id))
    kept.locked(db, group_id)
    reason = clean_line(why)
    if not reason or len(reason) > 400:
        raise InvalidError("why: say why it is opened again (at most 400 characters).")
    signature = kept.signature_of(db, group_id)
    if signature is None:
        raise ConflictError("The conclusion of this group is not signed.", code="unsigned")
    signature.opened_at, signature.opened_by, signature.opened_why = now(), who, reason
    db.add(signature)
    deeds.keep(db, "opened again", Whom("group", group_id), after={"why": reason}, who=who)
    tell(db, "groups", group=group_id)
    db.commit()
