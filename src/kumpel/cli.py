"""The command line: demo, start, assess; `./kumpel` installs what is missing first."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Annotated

import typer

from kumpel.config import DEMO
from kumpel.demo.fleet import METERS, Fleet

app = typer.Typer(
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    epilog="./kumpel test installs what the tests need and runs them all.",
    help="Kumpel: set up personal recorders, hand them out, take sessions in, review them against limits, print a report.",
)


@app.command()
def demo(
    once: Annotated[bool, typer.Option("--once", help="The whole job without a browser; writes out/.")] = False,
    fresh: Annotated[bool, typer.Option("--fresh", help="Throw the demo's data away first.")] = False,
    port: Annotated[int, typer.Option(help="Port of the web server; a free one if taken.")] = 8620,
) -> None:
    """Start the demo: the made-up salt mine Tarnfels, with simulated recorders."""
    if once:
        from kumpel.demo.once import run_once

        raise typer.Exit(run_once(Path("out")))
    if fresh:
        from kumpel.demo.run import throw_away

        throw_away()
    # The recorders start while this process is still importing what it needs.
    fleet = Fleet(DEMO / "standins")
    fleet.begin(METERS)
    from kumpel.demo.run import run_demo

    raise typer.Exit(run_demo(port, fleet))


@app.command()
def start(
    port: Annotated[int, typer.Option(help="Port of the web server.")] = 8600,
    host: Annotated[str, typer.Option(help="Address to listen on.")] = "127.0.0.1",
) -> None:
    """Start the real thing, on DATABASE_URL or a database of its own; the first visit makes the administrator."""
    from kumpel.serve import run_start

    raise typer.Exit(run_start(host, port))


@app.command()
def assess(
    files: Annotated[list[Path], typer.Argument(help="Recording files (.krec) or CSV.")],
    as_json: Annotated[bool, typer.Option("--json", help="One JSON object a file, in a list.")] = False,
    limits: Annotated[str | None, typer.Option(help="Key of a shipped limit set, or a JSON file with one.")] = None,
    setup: Annotated[
        Path | None, typer.Option(help="JSON file with the recorder's setup, in place of the file's.")
    ] = None,
    columns: Annotated[
        list[str] | None, typer.Option("--map", help="CSV: CHANNEL=COLUMN, such as leq.1=LAeq; repeatable.")
    ] = None,
    interval: Annotated[float | None, typer.Option(help="CSV: seconds between rows.")] = None,
    kind: Annotated[str, typer.Option(help="CSV: kind of recording.")] = "noise",
) -> None:
    """The figures of files, without server or database.

    Exit code: 0 within, 3 action level reached, 4 above limit, 5 not assessable; the highest of all files.

    2 when a file cannot be read.
    """
    from kumpel import assess_files

    try:
        mapping = dict(each.split("=", 1) for each in columns or [])
    except ValueError:
        typer.echo("--map needs CHANNEL=COLUMN, such as --map leq.1=LAeq", err=True)
        raise typer.Exit(2) from None
    found, code = [], 0
    try:
        settings = json.loads(setup.read_text()) if setup else None
        for path in files:
            recording = assess_files.read(path, kind, mapping, interval)
            used, result = assess_files.assess(recording, limits, settings)
            code = max(code, assess_files.EXIT[result.verdict.value])
            if as_json:
                found.append(assess_files.as_json(path, recording, used, result))
            else:
                sys.stdout.write(assess_files.as_table(path, recording, used, result) + "\n")
    except (assess_files.WrongFileError, json.JSONDecodeError, OSError) as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(2) from None
    if as_json:
        sys.stdout.write(json.dumps(found, indent=1, ensure_ascii=False) + "\n")
    raise typer.Exit(code)


@app.command(hidden=True)
def openapi(target: Path) -> None:
    """Write the API's description; the web build makes its client from it."""
    from kumpel.api.app import create_app
    from kumpel.config import Config

    config = Config("postgresql://nobody@127.0.0.1/none", Path("/nonexistent"), False, False)
    target.write_text(json.dumps(create_app(config).openapi(), indent=1))
