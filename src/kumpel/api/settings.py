"""Settings of the site, its teams and kinds."""

from __future__ import annotations

from fastapi import APIRouter

from kumpel.api import answers, schemas
from kumpel.api.dependencies import Database, Who
from kumpel.services.ground import settings

router = APIRouter(tags=["settings"])


@router.get("/settings")
def all_settings(db: Database, who: Who) -> schemas.Settings:
    """Everything that may be set, and what somebody set."""
    return answers.all_settings(db)


@router.put("/settings")
def change_setting(wish: schemas.SettingWish, db: Database, who: Who) -> schemas.Settings:
    """Set something, or (null) let it be as shipped; 409 `stale-setting` when somebody was faster."""
    settings.keep(db, wish.key, wish.scope, wish.of, wish.value, wish.version, who.id)
    return answers.all_settings(db)
