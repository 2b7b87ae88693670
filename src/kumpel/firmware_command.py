"""`./kumpel firmware`: keys and images by the command line (docs/firmware-image.md)."""

from __future__ import annotations

import contextlib
import os
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Annotated, NoReturn

import typer
from sqlmodel import Session as Db

app = typer.Typer(
    no_args_is_help=True,
    help="Programs of recorders: make a key, sign an image, trust a key, add an image. Standards: Ed25519, PEM (RFC 8410).",
)


def _fail(words: str) -> NoReturn:
    typer.echo(words, err=True)
    raise typer.Exit(2)


@contextlib.contextmanager
def _store() -> Iterator[Db]:
    """The database of this installation, of a server that runs or of none."""
    from kumpel.serve import database_beside
    from kumpel.services.ground.problems import ProblemError
    from kumpel.services.work.background import prepare
    from kumpel.store.cluster import ClusterError
    from kumpel.store.database import engine

    try:
        with database_beside() as url:
            prepare(url)
            with Db(engine(url), expire_on_commit=False) as db:
                yield db
    except ProblemError as problem:
        _fail(problem.detail)
    except ClusterError as error:
        _fail(str(error))


def _read(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        _fail(f"{path}: {error.strerror}")


def _text(path: Path) -> str:
    return _read(path).decode(errors="replace")


@app.command()
def key(name: Annotated[str, typer.Argument(help="NAME.secret.pem and NAME.public.pem are written.")]) -> None:
    """Make a key to sign with. Whoever has the secret half can make images that recorders start."""
    from kumpel.link import firmware_image

    secret = firmware_image.new_key()
    public = firmware_image.public_of(secret)
    for path, words, mode in (
        (Path(f"{name}.secret.pem"), firmware_image.secret_words(secret), 0o600),
        (Path(f"{name}.public.pem"), firmware_image.public_words(public), 0o644),
    ):
        try:
            with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, mode), "w") as file:
                file.write(words)
        except OSError as error:
            _fail(f"{path}: {error.strerror}. No key that is there is written over.")
    typer.echo(f"{name}.secret.pem: keep it. {name}.public.pem: key {firmware_image.key_id(public).hex()}")


@app.command()
def sign(
    program: Annotated[Path, typer.Argument(help="What the recorder runs.")],
    key: Annotated[Path, typer.Option(help="File with the secret key.")],
    kind: Annotated[str, typer.Option(help="Kind of recorder, such as gas, vehicle.")],
    model: Annotated[list[str], typer.Option(help="Model that can take it; repeatable.")],
    version: Annotated[str, typer.Option(help="Two to four numbers: 4.3.1")],
    shows: Annotated[str, typer.Option(help="What the display says once it runs.")] = "",
    notes: Annotated[str, typer.Option(help="What is new.")] = "",
    out: Annotated[Path | None, typer.Option(help="Where to; beside the program without it.")] = None,
) -> None:
    """Make a signed image of a program."""
    from kumpel.link import firmware_image

    target = out or program.with_name(f"{program.stem}-{version}.kfw")
    about = {"kind": kind, "models": list(model), "version": version, "shows": shows, "notes": notes}
    try:
        image = firmware_image.sign(_read(program), firmware_image.secret_from(_text(key)), about)
        target.write_bytes(image)
    except firmware_image.ImageError as error:
        _fail(f"Nothing was signed: {error}.")
    except OSError as error:
        _fail(f"{target}: {error.strerror}")
    typer.echo(f"{target}: {version} for {', '.join(model)}, {len(image):,} bytes")


@app.command()
def trust(
    public: Annotated[Path, typer.Argument(help="File with the public key.")],
    name: Annotated[str, typer.Option(help="Whose it is; the file's name without it.")] = "",
) -> None:
    """Trust a key: images signed with it may be added."""
    from kumpel.services.firmware import catalogue

    words = _text(public)
    with _store() as db:
        row = catalogue.trust(db, name or public.name.removesuffix(".pem").removesuffix(".public"), words)
        typer.echo(f"{row.name}, key {row.key_id}: trusted")


@app.command()
def add(images: Annotated[list[Path], typer.Argument(help="Signed images (.kfw).")]) -> None:
    """Put signed images into the catalogue."""
    from kumpel.services.firmware import catalogue

    files = [(path, _read(path)) for path in images]
    with _store() as db:
        for path, data in files:
            row = catalogue.add(db, data)
            typer.echo(f"{path}: {row.version} for {', '.join(row.models)} is in the catalogue")


@app.command("list")
def list_images() -> None:
    """The keys that are trusted, and the images."""
    from kumpel.services.firmware import catalogue

    with _store() as db:
        for each in catalogue.keys(db):
            typer.echo(f"key    {each.key_id}  {each.name}")
        for image in catalogue.images(db):
            models = ", ".join(image.models)
            typer.echo(
                f"image  {image.version:<12} {image.kind:<14} {models}  {image.size:,} bytes, key {image.key_id}"
            )
    sys.stdout.flush()
