"""What a browser calls a file that it saves."""

from __future__ import annotations

import unicodedata
from urllib.parse import quote

FORBIDDEN = '<>:"/\\|?*'


def attachment(name: str) -> str:
    """A Content-Disposition that saves under a name with its real letters (RFC 6266; RFC 8187 for `filename*`).

    Old readers get the same name in plain letters. Signs that no file name can have become a dash.
    """
    safe = (
        "".join("-" if c in FORBIDDEN or unicodedata.category(c)[0] == "C" else c for c in name).strip(" .") or "file"
    )
    # No surprise from combining forms: one sign, one code point.
    safe = unicodedata.normalize("NFC", safe)[:150]
    apart = unicodedata.normalize("NFKD", safe)
    plain = "".join(c if c.isascii() else "_" for c in apart if not unicodedata.combining(c)).replace("%", "_")
    return f"attachment; filename=\"{plain}\"; filename*=UTF-8''{quote(safe, safe='')}"


def shown(name: str) -> str:
    """A Content-Disposition for what the browser shows itself, and saves under this name when asked to."""
    return "inline" + attachment(name).removeprefix("attachment")
