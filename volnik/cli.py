"""The command line. Exit 0 done, 1 something found that stops, 2 bad use or input."""

from __future__ import annotations

import gc
import json
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated

import typer

from volnik import __version__

app = typer.Typer(
    name="volnik",
    help="Workbench of the mobile power installer.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
)
schema_app = typer.Typer(help="Print the JSON Schema of a file Volnik reads.", no_args_is_help=True)
app.add_typer(schema_app, name="schema")


def refuse(sentence: str) -> typer.Exit:
    """Say what is wrong on standard error; to be raised, exit code 2."""
    typer.echo(sentence, err=True)
    return typer.Exit(2)


@contextmanager
def importing() -> Iterator[None]:
    """What is imported inside stays for good: the garbage collector does not look through it, now or later.

    That is a seventh of a server's start.
    """
    gc.disable()
    try:
        yield
    finally:
        gc.freeze()
        gc.enable()


def speak() -> None:
    """Show what the running program says, line by line, on standard output."""
    import logging
    import sys

    handler = logging.StreamHandler(sys.stdout)
    handler.setFormatter(logging.Formatter("%(message)s"))
    logger = logging.getLogger("volnik")
    logger.addHandler(handler)
    logger.setLevel(logging.INFO)


@app.callback(invoke_without_command=True)
def root(
    context: typer.Context,
    version: Annotated[bool, typer.Option("--version", help="Print the version and stop.")] = False,
) -> None:
    """Workbench of the mobile power installer."""
    if version:
        typer.echo(f"volnik {__version__}")
        raise typer.Exit()


@app.command("replay")
def replay_command(
    readings: Annotated[Path, typer.Argument(help="CSV, JSON Lines or Parquet; may be gzipped.")],
    settings: Annotated[
        Path, typer.Option("--settings", help="SETTINGS.json; see `volnik schema settings`.")
    ],
    out: Annotated[Path | None, typer.Option("--out", help="Write time,soc,deficit_ah here as CSV.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print the summary as JSON.")] = False,
) -> None:
    """Count a file of readings under a file of settings."""
    from volnik.outlets.counted import summary, write_counted_csv
    from volnik.tasks.replay import ReplayRefused, replay

    try:
        result = replay(readings, settings)
    except ReplayRefused as wrong:
        raise refuse(str(wrong)) from None
    time_s = result.read.readings.time_s
    if out is not None:
        try:
            write_counted_csv(out, time_s, result.counted)
        except OSError as wrong:
            raise refuse(f"{out}: {wrong.strerror or 'cannot be written'}.") from None
    problems = [{"line": problem.line, "reason": problem.reason} for problem in result.read.problems]
    message = summary(time_s, result.counted, result.runtime, problems)
    if as_json:
        typer.echo(json.dumps(message, indent=2))
        return
    for problem in result.read.problems[:20]:
        typer.echo(f"line {problem.line}: {problem.reason}", err=True)
    if result.read.problem_count > 20:
        typer.echo(f"… {result.read.problem_count} lines left out in all; --json lists them.", err=True)
    from volnik.core.watch.formatting import replay_lines

    typer.echo("\n".join(replay_lines(message, result.counted.numbers)))


@app.command("path")
def path_command(
    rig: Annotated[Path, typer.Argument(help="RIG.json; see `volnik schema rig`.")],
    as_json: Annotated[bool, typer.Option("--json", help="Print the answer as JSON.")] = False,
) -> None:
    """Solve and judge the negative path of a rig document. Exit 1 when anything stops, 2 on bad input."""
    from volnik.core.errors import InvalidInput
    from volnik.tasks.path_report import judge_document, judgement_lines

    try:
        judged = judge_document(rig)
    except InvalidInput as wrong:
        raise refuse("\n".join(f"{at}: {message}" for at, message in wrong.problems.items())) from None
    typer.echo(
        json.dumps(judged.answer, indent=2, ensure_ascii=False)
        if as_json
        else "\n".join(judgement_lines(judged))
    )
    if judged.stops:
        raise typer.Exit(1)


@app.command("wireup")
def wireup_command(
    rig: Annotated[Path, typer.Argument(help="RIG.json with a plan; see `volnik schema rig`.")],
    school: Annotated[str, typer.Option("--school", help="Order of the last joints.")] = "",
    as_json: Annotated[bool, typer.Option("--json", help="Print the steps as JSON.")] = False,
) -> None:
    """The steps from what was found to what is planned. Exit 1 when a stop stands, 2 on bad input."""
    from volnik.core.errors import InvalidInput
    from volnik.tasks.wireup_report import report_document, report_lines

    try:
        found = report_document(rig, school)
    except InvalidInput as wrong:
        raise refuse("\n".join(f"{at}: {message}" for at, message in wrong.problems.items())) from None
    typer.echo(
        json.dumps(found.answer, indent=2, ensure_ascii=False) if as_json else "\n".join(report_lines(found))
    )
    if found.stops:
        raise typer.Exit(1)


SettingsOption = Annotated[
    Path | None, typer.Option("--settings", help="SETTINGS.json; comes before the rig's own numbers.")
]
RigOption = Annotated[Path | None, typer.Option("--rig", help="RIG.json; see `volnik schema rig`.")]


@app.command("checkup")
def checkup_command(
    readings: Annotated[Path, typer.Argument(help="CSV, JSON Lines or Parquet; may be gzipped.")],
    settings: SettingsOption = None,
    rig: RigOption = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print causes and cannot_tell as JSON.")] = False,
) -> None:
    """Cross-examine a log: what is wrong with wiring or numbers, most likely first. Exit 2 on bad input."""
    from volnik.core.errors import InvalidInput
    from volnik.tasks.checkup_report import check_file, checkup_lines
    from volnik.tasks.replay import ReplayRefused

    try:
        found, notes = check_file(readings, settings, rig)
    except ReplayRefused as wrong:
        raise refuse(str(wrong)) from None
    except InvalidInput as wrong:
        raise refuse("\n".join(f"{at}: {message}" for at, message in wrong.problems.items())) from None
    if as_json:
        typer.echo(json.dumps(found.to_dict(), indent=2, ensure_ascii=False))
        for note in notes:
            typer.echo(note, err=True)
    else:
        typer.echo("\n".join(checkup_lines(found, notes)))


@app.command("band")
def band_command(
    readings: Annotated[Path, typer.Argument(help="CSV, JSON Lines or Parquet; may be gzipped.")],
    out: Annotated[
        Path | None, typer.Option("--out", help="Write time,soc,soc_low,soc_high here as CSV.")
    ] = None,
    settings: SettingsOption = None,
    rig: RigOption = None,
    as_json: Annotated[
        bool, typer.Option("--json", help="Print the last reading's band and its causes as JSON.")
    ] = False,
) -> None:
    """How far off the count of a log can be: nine cases of ten lie inside. Exit 2 on bad input."""
    from volnik.core.count.uncertainty import CAUSES, describe
    from volnik.core.errors import InvalidInput
    from volnik.core.watch.formatting import band_sentence
    from volnik.tasks.checkup_report import band_file, write_band
    from volnik.tasks.replay import ReplayRefused

    try:
        log, _, found, notes = band_file(readings, settings, rig)
        if out is not None:
            write_band(out, log, found)
    except ReplayRefused as wrong:
        raise refuse(str(wrong)) from None
    except InvalidInput as wrong:
        raise refuse("\n".join(f"{at}: {message}" for at, message in wrong.problems.items())) from None
    except OSError as wrong:
        raise refuse(f"{out}: {wrong.strerror or 'cannot be written'}.") from None
    for note in notes:
        typer.echo(note, err=True)
    known = found.centre[-1] == found.centre[-1]
    if as_json:
        parts = [{"cause": name, "half": round(half, 5)} for name, half in describe(found)]
        last = {
            "soc": float(found.centre[-1]) if known else None,
            "soc_low": float(found.low[-1]),
            "soc_high": float(found.high[-1]),
        }
        typer.echo(json.dumps({**last, "parts": parts}, indent=2))
        return
    typer.echo(band_sentence(float(found.centre[-1]), float(found.low[-1]), float(found.high[-1])))
    for name, half in describe(found):
        typer.echo(f"  {100 * half:4.1f} % from {CAUSES[name][0]}")


SeedOption = Annotated[
    int, typer.Option("--seed", min=0, help="Seed of weather and use; the same seed gives the same answer.")
]


@app.command("numbers")
def numbers_command(
    rig: Annotated[Path, typer.Argument(help="RIG.json; see `volnik schema rig`.")],
    seed: SeedOption = 1,
    as_json: Annotated[
        bool, typer.Option("--json", help="Print the answer as JSON; its `settings` is a SETTINGS.json.")
    ] = False,
) -> None:
    """Recommend every number of a rig by simulating it. Exit 1 when anything stops, 2 on bad input."""
    from volnik.core.errors import InvalidInput
    from volnik.tasks.recommending import recommend_settings, settled_lines

    try:
        settled = recommend_settings(rig, seed=seed)
    except InvalidInput as wrong:
        raise refuse("\n".join(f"{at}: {message}" for at, message in wrong.problems.items())) from None
    typer.echo(
        json.dumps(settled.answer, indent=2, ensure_ascii=False)
        if as_json
        else "\n".join(settled_lines(settled))
    )
    if settled.stops:
        raise typer.Exit(1)


@app.command("resetmap")
def resetmap_command(
    rig: Annotated[Path, typer.Argument(help="RIG.json; see `volnik schema rig`.")],
    out: Annotated[Path, typer.Option("--out", help="Write the map here as CSV.")],
    hold_s: Annotated[
        float | None,
        typer.Option("--hold-s", min=0, max=86_400, help="Hold time in seconds; by default the rig's own."),
    ] = None,
    seed: SeedOption = 1,
) -> None:
    """Write the outcome of every charged voltage and tail current on a simulated season."""
    from volnik.core.errors import InvalidInput
    from volnik.tasks.recommending import map_rig, write_map

    try:
        found, notes = map_rig(rig, hold_s=hold_s, seed=seed)
        write_map(out, found)
    except InvalidInput as wrong:
        raise refuse("\n".join(f"{at}: {message}" for at, message in wrong.problems.items())) from None
    except OSError as wrong:
        raise refuse(f"{out}: {wrong.strerror or 'cannot be written'}.") from None
    for message in notes:
        typer.echo(message, err=True)


@app.command("papers")
def papers_command(
    archive: Annotated[Path, typer.Argument(help="A rig's archive, as given out by its Survey page.")],
    *,
    out: Annotated[Path, typer.Option("--out", help="Write the PDF here.")],
    paper: Annotated[str, typer.Option("--paper", help="owner, shop, labels or event.")] = "owner",
    lang: Annotated[str, typer.Option("--lang", help="en, en_US, de, fr, es, nl; else its owner's.")] = "",
    size: Annotated[str, typer.Option("--size", help="a4 or us-letter.")] = "a4",
    shop: Annotated[str, typer.Option("--shop", help="Whose paper it is.")] = "",
    start: Annotated[str, typer.Option("--from", help="Where an event begins, 2026-11-15T12:00.")] = "",
    end: Annotated[str, typer.Option("--to", help="Where it ends.")] = "",
) -> None:
    """Make a paper of the rig in an archive."""
    import tempfile

    from volnik.core.errors import InvalidInput
    from volnik.main import build
    from volnik.tasks.papers import paper_of
    from volnik.web.routes.path import built_svg

    with tempfile.TemporaryDirectory() as folder:
        running = build(Path(folder), demo=False)
        try:
            body = paper_of(
                running.context,
                archive,
                paper=paper,
                size=size,
                shop=shop,
                drawing=built_svg,
                span=(start, end),
                language=lang,
            )
        except InvalidInput as wrong:
            raise refuse("\n".join(wrong.problems.values())) from None
        except OSError as wrong:
            raise refuse(f"{archive}: {wrong.strerror or 'cannot be read'}.") from None
        finally:
            running.close()
    try:
        out.write_bytes(body)
    except OSError as wrong:
        raise refuse(f"{out}: {wrong.strerror or 'cannot be written'}.") from None


BenchKey = Annotated[
    str,
    typer.Option("--key", envvar="VOLNIK_BENCH_KEY", help="The bench rig's key, from the page Doors."),
]
ControlPort = Annotated[
    int,
    typer.Option(
        "--port", min=0, max=65535, help="Port of its control page on 127.0.0.1; 0 takes any free one."
    ),
]
FaultOption = Annotated[
    list[str] | None,
    typer.Option(
        "--fault", help="CABLE.b=STUD, reversed, scale=1.5, offset=0.3 or dead; may be given again."
    ),
]
LivingOption = Annotated[
    bool,
    typer.Option("--living", help="In use by its own hours and weather, rather than standing in the bay."),
]


SayOption = Annotated[
    list[str] | None,
    typer.Option(
        "--say",
        help="Speak for a bridge to listen to, instead of HTTP: text=4001, modbus=5020, "
        "topics=127.0.0.1:1883/van, can=socketcan:vcan0; may be given again.",
    ),
]


ChargeOption = Annotated[
    float | None,
    typer.Option("--charge", min=0, max=1, help="Charge it starts with, not what Volnik counts."),
]
BenchSeed = Annotated[
    int,
    typer.Option("--seed", min=0, help="Seed of its noise and use; the same seed gives the same readings."),
]
FactorOption = Annotated[float, typer.Option("--factor", min=1, max=1000, help="Simulated seconds a second.")]


@app.command("bench-rig")
def bench_rig_command(
    *,
    rig: Annotated[Path, typer.Argument(help="RIG.json; see `volnik schema rig`.")],
    rig_id: Annotated[
        int, typer.Option("--rig", min=1, help="Number of the rig in Volnik that the readings are for.")
    ],
    to: Annotated[str, typer.Option("--to", help="Address of Volnik.")] = "http://127.0.0.1:8370",
    key: BenchKey = "",
    port: ControlPort = 0,
    wiring: Annotated[
        str, typer.Option("--wiring", help="The drawing it is wired by: planned, or found.")
    ] = "planned",
    fault: FaultOption = None,
    seed: BenchSeed = 1,
    factor: FactorOption = 1.0,
    interval_s: Annotated[
        float, typer.Option("--interval-s", min=1, max=3600, help="Seconds between readings.")
    ] = 1.0,
    mqtt: Annotated[str, typer.Option("--mqtt", help="Broker host:port to send by, instead of HTTP.")] = "",
    living: LivingOption = False,
    say: SayOption = None,
    charge: ChargeOption = None,
) -> None:
    """Run a simulated vehicle that talks to Volnik as a real bridge would.

    Its control page is on this machine alone.
    """
    from volnik.benchrig.program import BenchPlan, run
    from volnik.core.errors import InvalidInput

    if wiring not in ("planned", "found"):
        raise refuse("--wiring is planned or found.")
    plan = BenchPlan(
        rig,
        to,
        rig_id,
        key,
        port,
        wiring,
        tuple(fault or ()),
        seed,
        factor,
        interval_s,
        mqtt,
        living,
        tuple(say or ()),
        charge,
    )
    speak()
    try:
        run(plan)
    except InvalidInput as wrong:
        raise refuse("\n".join(f"{at}: {message}" for at, message in wrong.problems.items())) from None
    except (ConnectionError, OSError) as wrong:
        raise refuse(f"{wrong}.") from None


def _run(
    folder: Path | None,
    port: int | None,
    now: str | None,
    *,
    demo: bool,
    bench: bool = False,
    lan: bool = False,
    plain_http: bool = False,
) -> None:
    with importing():
        from volnik.main import StartRefused, serve
        from volnik.outlets.mail import mail_box
        from volnik.settings import Settings, data_home

    try:
        settings = Settings()
    except ValueError as wrong:
        raise refuse(f"A VOLNIK_ setting in the environment cannot be used: {wrong}") from None
    home = folder or settings.data or (data_home() / "demo" if demo else data_home())
    speak()
    try:
        serve(
            home,
            port=settings.port if port is None else port,
            demo=demo,
            now=now or settings.now,
            bench=bench,
            lan=lan,
            plain_http=plain_http,
            mqtt=settings.broker(),
            box=mail_box(
                settings.mail_server,
                settings.mail_from,
                settings.mail_to,
                settings.mail_user,
                settings.mail_password,
                tls=settings.mail_tls,
            ),
        )
    except ValueError as wrong:
        raise refuse(str(wrong)) from None
    except StartRefused as wrong:
        raise refuse(str(wrong)) from None


DataOption = Annotated[Path | None, typer.Option("--data", help="Folder the data lies in.")]
PortOption = Annotated[
    int | None, typer.Option("--port", min=0, max=65535, help="Port on 127.0.0.1; 0 takes any free one.")
]
NowOption = Annotated[
    str | None, typer.Option("--now", help="Set instant instead of the clock, for pictures and tests.")
]


LanOption = Annotated[
    bool,
    typer.Option("--lan", help="Let in phones of this network, once each is paired from the page Doors."),
]


PlainOption = Annotated[
    bool,
    typer.Option("--plain-http", help="With --lan, without TLS, for phones that refuse it."),
]


@app.command("serve")
def serve_command(
    *,
    data: DataOption = None,
    port: PortOption = None,
    now: NowOption = None,
    lan: LanOption = False,
    plain_http: PlainOption = False,
) -> None:
    """Run Volnik on this machine."""
    _run(data, port, now, demo=False, lan=lan, plain_http=plain_http)


@app.command("demo")
def demo_command(
    *,
    data: DataOption = None,
    port: PortOption = None,
    now: NowOption = None,
    lan: LanOption = False,
    plain_http: PlainOption = False,
    bench: Annotated[
        bool,
        typer.Option("--bench/--no-bench", help="Start bench rigs for Vet Van Two, Bookbus and Dome Truck."),
    ] = True,
    reset: Annotated[
        bool, typer.Option("--reset", help="Renew every demo rig, changed ones too, and stop.")
    ] = False,
) -> None:
    """Run Volnik with the demo yard, in a data folder of its own."""
    if not reset:
        _run(data, port, now, demo=True, bench=bench, lan=lan, plain_http=plain_http)
        return
    from volnik.main import StartRefused, build, hold
    from volnik.settings import Settings, data_home
    from volnik.tasks.demo import fill_yard

    home = data or Settings().data or data_home() / "demo"
    try:
        with hold(home):
            running = build(home, demo=False, now=now)
            fill_yard(running.context, renew=True)
            running.close()
    except StartRefused as wrong:
        raise refuse(str(wrong)) from None
    typer.echo("The demo yard is new again.")


@app.command("bridge")
def bridge_command(
    file: Annotated[Path, typer.Argument(help="SOURCES.toml: what is listened to, and where it is brought.")],
    *,
    check: Annotated[
        bool, typer.Option("--check", help="Look whether the file is right and Volnik answers, and stop.")
    ] = False,
    once: Annotated[
        bool, typer.Option("--once", help="Listen for ten seconds, bring what was heard, and stop.")
    ] = False,
) -> None:
    """Bring readings from what is in a vehicle to Volnik, and keep them while the link is away."""
    import logging
    import signal

    from volnik.benchrig.program import end_with_parent
    from volnik.bridge.plan import read_plan
    from volnik.bridge.service import ONCE_S, Bridge
    from volnik.core.errors import InvalidInput

    logging.basicConfig(level=logging.INFO, format="%(message)s", force=True)
    logging.getLogger("httpx2").setLevel(logging.WARNING)
    try:
        bridge = Bridge(read_plan(file))
    except InvalidInput as wrong:
        raise refuse("\n".join(f"{at}: {said}" for at, said in wrong.problems.items())) from None
    if check:
        troubles = bridge.check()
        bridge.close()
        if troubles:
            raise refuse("\n".join(troubles))
        typer.echo(f"The file is right, and Volnik answers for {len(bridge.rigs)} of its rigs.")
        return
    if once:
        bridge.for_a_while(ONCE_S)
        return
    for name in (signal.SIGTERM, signal.SIGINT):
        signal.signal(name, lambda *_: bridge.stop())
    end_with_parent()
    bridge.run()


@app.command("backup")
def backup_command(
    file: Annotated[Path, typer.Argument(help="The file to be written, best on another disk.")],
    data: DataOption = None,
) -> None:
    """Write the whole shop as one file, also while Volnik runs: data, photos and the secret, verified."""
    import time

    from volnik.store.backup import BackupRefused, write_backup

    try:
        manifest = write_backup(_home(data), file, made_s=time.time(), program=__version__)
    except BackupRefused as wrong:
        raise refuse(" ".join(wrong.problems.values())) from None
    typer.echo(f"{file}: {manifest.inside}, verified. Keep it as you keep your keys.")


@app.command("restore")
def restore_command(
    file: Annotated[Path, typer.Argument(help="A backup.")],
    data: DataOption = None,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False,
) -> None:
    """Bring a backup back in the place of today's data, which is put aside first. Volnik must be stopped."""
    from volnik.main import StartRefused, hold
    from volnik.store.backup import BackupRefused, read_backup, stage_restore
    from volnik.store.staging import finish

    home = _home(data)
    try:
        manifest = read_backup(file)
        typer.echo(f"{file}: {manifest.inside}.")
        if not yes:
            typer.confirm(f"Put it in the place of what is in {home}?", abort=True)
        with hold(home):
            stage_restore(file, home, aside=_aside())
            aside = finish(home)
    except BackupRefused as wrong:
        raise refuse(" ".join(wrong.problems.values())) from None
    except StartRefused as wrong:
        raise refuse(str(wrong)) from None
    typer.echo(f"Brought back. What was there before lies in {aside}." if aside else "Brought back.")


@app.command("doctor")
def doctor_command(
    data: DataOption = None,
    as_json: Annotated[bool, typer.Option("--json", help="Print what was found as JSON.")] = False,
) -> None:
    """Look whether data and server are in order; say what to do where not, exit 1 where something stops."""
    from dataclasses import asdict

    from volnik.tasks.doctor import examine

    found = []
    for diagnosis in examine(_home(data)):
        found.append(diagnosis)
        if not as_json:
            remedy = f" → {diagnosis.remedy}" if diagnosis.remedy else ""
            typer.echo(f"{diagnosis.level:5} {diagnosis.about}: {diagnosis.found}{remedy}")
    if as_json:
        typer.echo(json.dumps([asdict(diagnosis) for diagnosis in found], indent=2))
    if any(diagnosis.level == "stop" for diagnosis in found):
        raise typer.Exit(1)


def _home(data: Path | None) -> Path:
    from volnik.settings import Settings, data_home

    return data or Settings().data or data_home()


def _aside() -> str:
    """A name for the folder that what stands is put in."""
    from datetime import datetime

    return f"before-restore-{datetime.now():%Y-%m-%d-%H%M%S}"


@app.command("mailbox")
def mailbox_command(
    port: Annotated[
        int, typer.Option("--port", min=0, max=65535, help="Port on 127.0.0.1; 0 takes any free one.")
    ] = 2525,
) -> None:
    """Run a small stand-in for a mail server, on this machine alone, that prints what arrives."""
    import threading

    from volnik.outlets.mail import DevMailServer

    speak()
    hole = DevMailServer(port)
    try:
        hole.start()
    except OSError as wrong:
        raise refuse(
            f"Port {port} cannot be used ({wrong.strerror or wrong}). Choose another with --port."
        ) from None
    typer.echo(
        f"Mail is taken at 127.0.0.1:{hole.port}; VOLNIK_MAIL_SERVER=127.0.0.1:{hole.port} sends "
        "alarms here. Ctrl+C stops it."
    )
    try:
        threading.Event().wait()
    finally:
        hole.close()


@schema_app.command("settings")
def schema_settings() -> None:
    """JSON Schema of SETTINGS.json."""
    from volnik.core.numbers.schema import settings_schema

    typer.echo(json.dumps(settings_schema(), indent=2))


@schema_app.command("archive")
def schema_archive() -> None:
    """JSON Schema of the parts of a rig archive."""
    from volnik.store.archive.schema import archive_schema

    typer.echo(json.dumps(archive_schema(), indent=2))


@schema_app.command("rig")
def schema_rig() -> None:
    """JSON Schema of a rig document."""
    from volnik.core.document import rig_schema

    typer.echo(json.dumps(rig_schema(), indent=2, ensure_ascii=False))


def main() -> None:
    """Entry point."""
    try:
        app()
    except KeyboardInterrupt:
        sys.exit(130)
    except Exception as wrong:
        typer.echo(
            f"Something went wrong inside Volnik ({type(wrong).__name__}: {wrong}); nothing was changed.",
            err=True,
        )
        sys.exit(1)


if __name__ == "__main__":
    main()
