"""The command line: demo, start, assess, convert, make; `./kumpel` installs what is missing first."""

from __future__ import annotations

import json
import os
import secrets
import sys
from dataclasses import replace
from pathlib import Path
from typing import Annotated

import typer

from kumpel import firmware_command
from kumpel.config import DEMO
from kumpel.demo.air import open_up
from kumpel.demo.begun import take_away_halves
from kumpel.demo.ensemble import Ensemble
from kumpel.demo.recorders import RECORDERS
from kumpel.link.discovery import SCOPE_VARIABLE

app = typer.Typer(
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    epilog="./kumpel test installs what the tests need and runs them all.",
    help="Kumpel: set up personal recorders, hand them out, take sessions in, review them against limits, print a report.",
)

app.add_typer(firmware_command.app, name="firmware")


@app.command()
def demo(
    once: Annotated[bool, typer.Option("--once", help="The whole job without a browser; writes out/.")] = False,
    check: Annotated[bool, typer.Option("--check", help="Start all of it, load the first screen once, stop.")] = False,
    fresh: Annotated[bool, typer.Option("--fresh", help="Throw the demo's data away first.")] = False,
    port: Annotated[int, typer.Option(help="Port of the web server; a free one if taken.")] = 8620,
) -> None:
    """Start the demo: the made-up salt mine Tarnfels, with simulated recorders."""
    os.environ.setdefault(SCOPE_VARIABLE, secrets.token_hex(4))
    if once:
        from kumpel.demo.once import run_once

        raise typer.Exit(run_once(Path("out")))
    if fresh:
        from kumpel.demo.run import throw_away

        throw_away()
    take_away_halves(DEMO)
    open_up()
    # The recorders start while this process is still importing what it needs.
    ensemble = Ensemble(DEMO / "standins")
    ensemble.begin(RECORDERS)
    from kumpel.demo.run import run_demo

    raise typer.Exit(run_demo(port, ensemble, check))


@app.command()
def start(
    port: Annotated[int, typer.Option(help="Port of the web server.")] = 8600,
    host: Annotated[str, typer.Option(help="Address to listen on.")] = "127.0.0.1",
    webs: Annotated[int, typer.Option(help="How many processes answer browsers.", min=1, max=32)] = 1,
    workers: Annotated[int, typer.Option(help="How many take in, assess and mail.", min=1, max=64)] = 1,
    web: Annotated[bool, typer.Option("--web", help="Only answer browsers; others do the rest.")] = False,
    worker: Annotated[bool, typer.Option("--worker", help="Only take in, assess and mail.")] = False,
    lookout: Annotated[
        bool, typer.Option("--lookout", help="Only look out for recorders, while no other does.")
    ] = False,
    fd: Annotated[int | None, typer.Option(hidden=True)] = None,
) -> None:
    """Start the real thing, on DATABASE_URL or a database of its own; the first visit makes the administrator.

    Without a role, all of them on this machine, each started again when it dies. A role alone needs DATABASE_URL.
    """
    from kumpel.serve import database_url, run_web, say
    from kumpel.store.cluster import ClusterError
    from kumpel.supervise import alone, supervise

    if sum((web, worker, lookout)) > 1:
        raise typer.BadParameter("One role at a time; without any, all of them are started.")
    if (web or worker or lookout) and not os.environ.get("DATABASE_URL"):
        raise typer.BadParameter("A role alone joins others: say in DATABASE_URL which database they share.")
    try:
        with database_url() as url:
            if web:
                run_web(url, host, port, fd)
            elif worker or lookout:
                raise typer.Exit(alone(url, "worker" if worker else "lookout"))
            else:
                raise typer.Exit(supervise(url, host, port, webs=webs, workers=workers))
    except ClusterError as error:
        say(f"\n{error}")
        raise typer.Exit(1) from error


@app.command()
def conformance(
    address: Annotated[
        str, typer.Argument(help="Of the recorder: 192.168.10.20:7400, or a serial port such as /dev/ttyUSB0.")
    ],
    changes: Annotated[
        bool,
        typer.Option(
            "--changes", help="Also what changes something: it is taken back, and only own sessions are cleared."
        ),
    ] = False,
    passcode: Annotated[str, typer.Option(help="Of the recorder, if it has one.")] = "",
) -> None:
    """Test a recorder against docs/link-protocol.md and print a table; 1 when it does not keep to a row."""
    from kumpel.link.errors import LinkError
    from kumpel.link.networks import address_parts, address_words
    from kumpel.services.recorders import conformance as rows

    try:
        host, port = address_parts(address if address.startswith("/") else address_words(address))
        probe = rows.Probe(host, port, passcode)
        typer.echo(
            f"{probe.described.serial}, {probe.described.kind}, {probe.described.model}, mode {probe.status.mode}\n"
        )
    except (ValueError, LinkError) as error:
        typer.echo(f"Nothing was tested: {error}.", err=True)
        raise typer.Exit(2) from error
    counts = {rows.KEPT: 0, rows.FAILS: 0, rows.NOT_ASKED: 0}
    for found in rows.test(probe, changes):
        counts[found.outcome] += 1
        typer.echo(f"{found.clause:<5}{found.outcome:<11}{found.asks}" + (f": {found.why}" if found.why else ""))
    typer.echo(f"\n{counts[rows.KEPT]} kept, {counts[rows.FAILS]} fail, {counts[rows.NOT_ASKED]} not asked")
    raise typer.Exit(1 if counts[rows.FAILS] else 0)


@app.command()
def press(
    token: Annotated[str, typer.Argument(help="Of a simulated recorder of the running demo, such as G-05.")],
) -> None:
    """Do what a simulated recorder of the demo waits for: hold its keys, wake it."""
    from kumpel.demo.ensemble import press_key

    typer.echo(press_key(DEMO / "standins", token))


@app.command()
def assess(
    paths: Annotated[
        list[Path], typer.Argument(metavar="FILES...", help="Recording files: .krec, CSV, EDF, EDF+, GPX, Parquet.")
    ],
    as_json: Annotated[bool, typer.Option("--json", help="One JSON object a file, in a list.")] = False,
    limits: Annotated[str | None, typer.Option(help="Key of a shipped limit set, or a JSON file with one.")] = None,
    setup: Annotated[
        Path | None, typer.Option(help="JSON file with the recorder's setup, in place of the file's.")
    ] = None,
    columns: Annotated[
        list[str] | None, typer.Option("--map", help="CHANNEL=COLUMN (or signal), such as leq.1=LAeq; repeatable.")
    ] = None,
    layout: Annotated[Path | None, typer.Option(help="CSV: a saved layout (JSON) to read the files by.")] = None,
    save_layout: Annotated[Path | None, typer.Option(help="CSV: save the layout that was found to this file.")] = None,
    interval: Annotated[float | None, typer.Option(help="CSV, GPX: seconds between rows.")] = None,
    kind: Annotated[str, typer.Option(help="Kind of recording; found out when it is not given.")] = "",
    options: Annotated[
        list[str] | None, typer.Option("--option", help="NAME=VALUE of the review, such as split_m=500; repeatable.")
    ] = None,
    group: Annotated[bool, typer.Option("--group", help="Statistics over all files (similar exposure group).")] = False,
    why: Annotated[str | None, typer.Option(help="Why this number? FIGURE by its key or name.")] = None,
    tables: Annotated[bool, typer.Option("--tables", help="Laps, readings, hours and the like, too.")] = False,
    plot: Annotated[Path | None, typer.Option(help="Draw the (first) recording to this SVG file.")] = None,
) -> None:
    """The figures of files of any kind, without server or database.

    Exit code: 0 within, 3 action level reached, 4 above limit, 5 not assessable; the highest of all files.

    2 when a file cannot be read.
    """
    from kumpel import assess_files
    from kumpel.formats import csv_file, files
    from kumpel.formats.errors import CsvError

    found, code = [], 0
    try:
        mapping, wished = _pairs(columns, "--map"), _pairs(options, "--option")
        settings = json.loads(setup.read_text()) if setup else None
        known = csv_file.Layout.from_json(layout.read_text()) if layout else None
        wish = files.Wish(kind, interval, mapping, known)
        for path in paths:
            each = assess_files.assess(path, assess_files.read(path, wish), limits, settings, wished)
            code = max(code, assess_files.EXIT[each.found.verdict.value])
            found.append(each)
            if why is not None:
                sys.stdout.write(assess_files.why(each, why))
            elif not as_json:
                sys.stdout.write(assess_files.as_table(each) + "\n")
                sys.stdout.write(assess_files.tables(each) + "\n" if tables else "")
        if save_layout is not None:
            words = assess_files.WORDS[found[0].recording.kind].channels
            told = known or csv_file.Layout()
            told = replace(told, columns={**told.columns, **mapping}, interval_s=interval or told.interval_s)
            save_layout.write_text(csv_file.detect(paths[0].read_bytes(), words, told).to_json())
        if plot is not None:
            plot.write_text(assess_files.plot(found[0]))
        results = assess_files.groups(found) if group else []
    except (assess_files.WrongFileError, CsvError, json.JSONDecodeError, OSError) as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(2) from None
    if as_json:
        listed = [assess_files.as_json(each) for each in found]
        answer = {"files": listed, "groups": [assess_files.group_json(r) for r in results]} if group else listed
        sys.stdout.write(json.dumps(answer, indent=1, ensure_ascii=False) + "\n")
    elif results:
        sys.stdout.write("\n".join(assess_files.group_table(r) for r in results))
    raise typer.Exit(code)


def _pairs(texts: list[str] | None, option: str) -> dict[str, str]:
    for each in texts or []:
        if "=" not in each:
            typer.echo(f"{option} needs NAME=VALUE, such as --map leq.1=LAeq; “{each}” has no “=”", err=True)
            raise typer.Exit(2)
    return dict(each.split("=", 1) for each in texts or [])


@app.command()
def convert(
    source: Annotated[Path, typer.Argument(help="A recording file: .krec, CSV, EDF, EDF+, GPX, Parquet.")],
    target: Annotated[Path, typer.Argument(help="Where to: .krec .csv .edf .gpx .xlsx .parquet .json (FHIR R4).")],
    kind: Annotated[str, typer.Option(help="Kind of recording; found out when it is not given.")] = "",
    columns: Annotated[list[str] | None, typer.Option("--map", help="CHANNEL=COLUMN (or signal); repeatable.")] = None,
    interval: Annotated[float | None, typer.Option(help="CSV, GPX: seconds between rows.")] = None,
    start: Annotated[float | None, typer.Option("--from", help="Only from this second on.")] = None,
    end: Annotated[float | None, typer.Option("--to", help="Only up to this second.")] = None,
    events: Annotated[str, typer.Option(help="CSV: the events of this code, such as reading, one a row.")] = "",
    found: Annotated[bool, typer.Option("--found", help="Also write the events that the assessment finds.")] = False,
    name: Annotated[str, typer.Option(help="A name to write into the file; nobody is named without it.")] = "",
) -> None:
    """Write a recording in another open format."""
    from kumpel import assess_files
    from kumpel.formats import files

    try:
        wish = files.Wish(kind, interval, _pairs(columns, "--map"))
        recording = assess_files.convert(source, target, wish, (start, end), name, events, found)
    except (assess_files.WrongFileError, OSError) as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(2) from None
    counts = f"{len(recording.channels)} channels, {len(recording.events)} events, {recording.length_s:.0f} s"
    typer.echo(f"{target}: {counts}, {target.stat().st_size} bytes")


@app.command()
def make(
    kind: Annotated[str, typer.Argument(help="Kind of recording, such as gas, jaw_muscle, vehicle.")],
    out: Annotated[Path, typer.Option(help="File to write; its ending says the format.")],
    seed: Annotated[int, typer.Option(help="The same number makes the same recording.")] = 1,
) -> None:
    """Write a synthetic recording, and beside it the truth that an analysis should find, as JSON."""
    from kumpel.formats import files
    from kumpel.formats.errors import FileFormatError
    from kumpel.standins.signals import SIGNALS

    if kind not in SIGNALS:
        typer.echo(f"no kind “{kind}”; there are: {', '.join(SIGNALS)}", err=True)
        raise typer.Exit(2)
    made = SIGNALS[kind](seed)
    truth = out.with_suffix(".truth.json")
    try:
        files.write(made.recording, out)
        truth.write_text(json.dumps({"kind": kind, "seed": seed, **made.truth}, indent=1, ensure_ascii=False))
    except (FileFormatError, OSError) as error:
        typer.echo(str(error), err=True)
        raise typer.Exit(2) from None
    typer.echo(f"{out}: {kind}, {made.recording.length_s:.0f} s; what is in it: {truth}")


@app.command(hidden=True)
def openapi(target: Path) -> None:
    """Write the API's description; the web build makes its client from it."""
    from kumpel.api.app import create_app
    from kumpel.config import Config

    config = Config("postgresql://nobody@127.0.0.1/none", Path("/nonexistent"), False, False)
    target.write_text(json.dumps(create_app(config).openapi(), indent=1))
