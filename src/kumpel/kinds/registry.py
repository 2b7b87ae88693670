"""The kinds that this server knows: every package in this folder, and in the folders that KUMPEL_KINDS names.

A package of a kind has a `KIND` (see `kind.Kind`). To add one is to add its folder; there is no list.
"""

from __future__ import annotations

import importlib
import importlib.util
import os
import pkgutil
import sys
from collections.abc import Iterator
from pathlib import Path
from types import ModuleType

from kumpel.core.bounds import ANY, Bounds
from kumpel.kinds.kind import Kind
from kumpel.kinds.usual import with_usual

FURTHER = "KUMPEL_KINDS"
"""Names folders (separated as in PATH) whose packages are kinds, too."""


class UnknownKindError(ValueError):
    """A kind that no package declares."""


class BrokenKindError(RuntimeError):
    """A package that cannot be a kind; the text names it and says why."""


def _shipped() -> Iterator[ModuleType]:
    here = Path(__file__).parent
    for found in sorted(pkgutil.iter_modules([str(here)]), key=lambda m: m.name):
        if found.ispkg:
            yield importlib.import_module(f"kumpel.kinds.{found.name}")


def _further() -> Iterator[ModuleType]:
    folders = [Path(f) for f in os.environ.get(FURTHER, "").split(os.pathsep) if f]
    for folder in folders:
        if not folder.is_dir():
            raise BrokenKindError(f"{FURTHER} names {folder}, which is no folder")
        for start in sorted(folder.glob("*/__init__.py")):
            yield _loaded(start)


def _loaded(start: Path) -> ModuleType:
    name = f"kumpel_kinds_{start.parent.name}"
    spec = importlib.util.spec_from_file_location(name, start, submodule_search_locations=[str(start.parent)])
    if spec is None or spec.loader is None:
        raise BrokenKindError(f"{start} cannot be read")
    module = importlib.util.module_from_spec(spec)
    sys.modules[name] = module
    spec.loader.exec_module(module)
    return module


def _all() -> dict[str, Kind]:
    found: dict[str, Kind] = {}
    for module in (*_shipped(), *_further()):
        kind = getattr(module, "KIND", None)
        if not isinstance(kind, Kind):
            raise BrokenKindError(f"{module.__file__} declares no KIND")
        if kind.key in found:
            raise BrokenKindError(f"{module.__file__}: there is a kind “{kind.key}” already")
        found[kind.key] = with_usual(kind)
    return found


KINDS: dict[str, Kind] = _all()


_TODAY = {old: kind.key for kind in KINDS.values() for old in kind.was}


def today(key: str) -> str:
    """The key that a kind has today, from one that a file, a recorder or a row says."""
    return _TODAY.get(key, key)


def kind_of(key: str) -> Kind:
    """The kind of this key; UnknownKindError lists what there is."""
    try:
        return KINDS[today(key)]
    except KeyError:
        raise UnknownKindError(f"no kind “{key}”; there are: {', '.join(sorted(KINDS))}") from None


def bounds_of(key: str) -> Bounds:
    """How much a recording of a kind may hold; generous bounds for a kind that is not known."""
    known = KINDS.get(today(key))
    return known.bounds if known is not None else ANY
