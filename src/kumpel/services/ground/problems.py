"""What can go wrong for a person using Kumpel: what, to what, what is safe, what to do.

ProblemError             told as it stands: `detail`, a stable `code`, the HTTP `status`, the `field` it is about
├── InvalidError         what was asked cannot be; names the field where it is one
├── NotFoundError        there is none (any more)
├── ConflictError        somebody else was faster, or the thing is in another state
├── ForbiddenError       signed in, but may not
├── TooMuchError         it ended the process that worked on it
├── SignInError          not signed in
│   └── TooManyTriesError
└── RecorderError        the recorder did not do it
    └── PasscodeNeededError
"""

from __future__ import annotations


class ProblemError(Exception):
    """Told to the user as it stands. `code` is stable, `status` the HTTP status it is answered with, `field` what it is about."""

    code = "problem"
    status = 400

    def __init__(self, detail: str, *, code: str | None = None, field: str = "") -> None:
        super().__init__(detail)
        self.detail = detail
        self.field = field
        if code:
            self.code = code


class NotFoundError(ProblemError):
    code, status = "not-found", 404


class ForbiddenError(ProblemError):
    """Somebody is signed in, but may not do this."""

    code, status = "forbidden", 403


class ConflictError(ProblemError):
    """Somebody else was faster, or the thing is no longer in the state this needs."""

    code, status = "conflict", 409


class InvalidError(ProblemError):
    """What was asked cannot be; nothing was changed."""

    code, status = "invalid", 422


class TooMuchError(ProblemError):
    """What was asked for ended the process that worked on it: nothing was made, nothing is lost."""

    code, status = "too-much", 507


class RecorderError(ProblemError):
    """The recorder did not do what was asked; nothing that is stored was touched."""

    code, status = "recorder", 502


class PasscodeNeededError(RecorderError):
    code, status = "passcode-needed", 423


class SignInError(ProblemError):
    code, status = "sign-in", 401


class TooManyTriesError(SignInError):
    code, status = "too-many-tries", 429
