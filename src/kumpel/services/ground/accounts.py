"""Signing in: accounts, passwords, the browser's token."""

from __future__ import annotations

import hashlib
import math
import secrets
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from argon2 import PasswordHasher
from argon2.exceptions import VerifyMismatchError
from psycopg.errors import LockNotAvailable
from sqlalchemy import text
from sqlalchemy.exc import OperationalError
from sqlmodel import Session as Db
from sqlmodel import col, delete, func, select

from kumpel.core.readers_units import CHOICES, ReadersUnits
from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError, SignInError, TooManyTriesError
from kumpel.store.database import tell
from kumpel.store.tables import Account, SignIn, now

STAYS = timedelta(days=14)
SIGNED_OUT = "signed-out"
"""The note that ends the streams of a browser; it is not passed on to others."""
SHORTEST_PASSWORD = 10
FREE_TRIES = 5
LONGEST_PAUSE_S = 300.0
_hasher = PasswordHasher()
_NOBODY = _hasher.hash("nobody has this password")


def is_first_visit(db: Db) -> bool:
    return db.exec(select(func.count()).select_from(Account)).one() == 0


def create_account(db: Db, login: str, name: str, password: str, role: str = "officer") -> Account:
    login = login.strip().lower()
    if not login or not name.strip():
        raise InvalidError("A sign-in name and a name are needed.")
    if len(password) < SHORTEST_PASSWORD:
        raise InvalidError(f"The password needs at least {SHORTEST_PASSWORD} characters.")
    if db.exec(select(Account).where(Account.login == login)).first():
        raise ConflictError(f"The sign-in name “{login}” is taken.")
    account = Account(login=login, name=name.strip(), password_hash=_hasher.hash(password), role=role)
    db.add(account)
    db.flush()
    deeds.keep(
        db, "account made", Whom("account", account.id), after={"login": login, "name": account.name, "role": role}
    )
    db.commit()
    db.refresh(account)
    return account


def create_first(db: Db, login: str, name: str, password: str) -> Account:
    """The first administrator; ConflictError when there is an account already."""
    db.connection().execute(text("lock table account in exclusive mode"))
    if not is_first_visit(db):
        raise ConflictError("There is an administrator already. Sign in instead.")
    return create_account(db, login, name, password, "administrator")


def waiting_s(account: Account) -> float:
    """Seconds until an account may be tried again: after five wrong passwords 1 s, doubling up to five minutes."""
    if account.failures < FREE_TRIES or account.failed_at is None:
        return 0.0
    pause = min(2.0 ** min(account.failures - FREE_TRIES, 10), LONGEST_PAUSE_S)
    return max(pause - (now() - account.failed_at).total_seconds(), 0.0)


def sign_in(db: Db, login: str, password: str) -> tuple[Account, str]:
    """The account and a new token for the browser. The same sentence for a wrong name and a wrong password.

    No connection to the database is held while the password is hashed, which takes 64 MB and a core for a good while.
    """
    hashed = hash_of(db, login)
    return entered(db, login, is_right(hashed, password))


def hash_of(db: Db, login: str) -> str:
    """What the password of a name is held against; of a name that nobody has, something that no password fits."""
    account = db.exec(select(Account).where(Account.login == login.strip().lower())).first()
    pause = waiting_s(account) if account else 0.0
    hashed = account.password_hash if account else _NOBODY
    db.rollback()
    if pause > 0:
        raise TooManyTriesError(f"Too many wrong passwords for this name. Try again in {math.ceil(pause)} s.")
    return hashed


def entered(db: Db, login: str, right: bool) -> tuple[Account, str]:
    """What is kept of a try. An account that somebody else holds (a backup, a hand at the database) is waited for a moment only."""
    db.connection().execute(text("set local lock_timeout = '3s'"))
    try:
        mine = select(Account).where(Account.login == login.strip().lower()).with_for_update(key_share=True)
        account = db.exec(mine).first()
    except OperationalError as error:
        db.rollback()
        if isinstance(error.orig, LockNotAvailable):
            raise ConflictError(
                "This account is being changed just now. Try again in a moment.", code="busy"
            ) from error
        raise
    if account is not None:
        account.failures = 0 if right else account.failures + 1
        account.failed_at = account.failed_at if right else now()
        db.add(account)
        db.commit()
    if account is None or account.id is None or not right:
        raise SignInError("The name or the password is not right.")
    token = secrets.token_urlsafe(32)
    db.exec(delete(SignIn).where(col(SignIn.expires_at) < now()))
    db.add(SignIn(token_hash=token_hash(token), account_id=account.id, expires_at=now() + STAYS))
    db.commit()
    db.refresh(account)
    return account, token


def is_right(hashed: str, password: str) -> bool:
    try:
        return _hasher.verify(hashed, password)
    except VerifyMismatchError:
        return False


def account_of(db: Db, token: str | None) -> Account | None:
    if not token:
        return None
    return db.exec(
        select(Account)
        .join(SignIn, col(SignIn.account_id) == Account.id)
        .where(SignIn.token_hash == token_hash(token), col(SignIn.expires_at) > now())
    ).first()


@dataclass(frozen=True)
class Browser:
    """A signed-in browser, and until when it is signed in."""

    token_hash: str
    until: datetime
    account_id: int

    @property
    def key(self) -> str:
        """A name for its sign-in that may be told around: neither its token nor what is on record of that."""
        return token_hash(self.token_hash)


def browser_of(db: Db, token: str | None) -> Browser | None:
    if not token:
        return None
    found = db.exec(
        select(SignIn).where(SignIn.token_hash == token_hash(token), col(SignIn.expires_at) > now())
    ).first()
    return None if found is None else Browser(found.token_hash, found.expires_at, found.account_id)


def still_signed_in(db: Db, browsers: Iterable[Browser]) -> set[str]:
    """The keys of those that have not signed out since."""
    hashes = {browser.token_hash for browser in browsers}
    return {token_hash(found) for found in db.exec(select(SignIn.token_hash).where(col(SignIn.token_hash).in_(hashes)))}


def keep_units(db: Db, account_id: int, units: Sequence[str]) -> Account:
    """What somebody reads in other units. InvalidError names one that nobody can choose."""
    known = {choice.key for choice in CHOICES}
    wrong = [key for key in units if key not in known]
    if wrong:
        raise InvalidError(f"There are no other units of “{wrong[0]}”.", field="units")
    found = db.get_one(Account, account_id)
    found.units = list(ReadersUnits(units).chosen)
    db.add(found)
    db.commit()
    db.refresh(found)
    return found


def sign_out(db: Db, token: str | None) -> None:
    """Forget the browser's token; its open streams end (see SIGNED_OUT)."""
    if token:
        db.exec(delete(SignIn).where(col(SignIn.token_hash) == token_hash(token)))
        tell(db, SIGNED_OUT, key=token_hash(token_hash(token)))
        db.commit()


def token_hash(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()
