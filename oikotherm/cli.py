"""The command line. Heavy parts are imported where they are used, so that small commands start at once.

Bad input: exit status 2 and one JSON object {"error": {field, said, expected, example}} on standard error.
"""

from __future__ import annotations

import argparse
import json
import os
import sqlite3
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from .core.errors import Refused
from .core.reading import read_json

DATA = Path("data")
MOST_TRIED = 60  # remedies that `check` tries, from the first finding on
PORT, MOST_PORT = 8420, 65_535
SWITCH_S = 0.0005  # how long a thread that works out a large house keeps one that answers in a moment waiting
LIMITS: dict[str, Any] = {
    "threads": 8,
    "max_request_body_size": 64_000_000,  # far over what the application reads, so that it is there to say so
    "max_request_header_size": 65_536,
    "connection_limit": 1_000,
    "asyncore_use_poll": True,  # select() ends at 1,024 file numbers
    "channel_timeout": 20,  # a request half sent is dropped after this [s]
    "cleanup_interval": 5,
}


def _data(args: argparse.Namespace) -> Path:
    return Path(args.data)


def _database(args: argparse.Namespace) -> Path:
    return _data(args) / "oikotherm.sqlite"


def _read_job(path: str) -> Any:
    from .core.job.document import read

    try:
        return read(Path(path).read_bytes())
    except OSError as error:
        raise Refused(
            "file", path, f"a job document that can be read ({error.strerror})", "lockhouse.oikotherm.json"
        ) from None


def _text(path: str) -> str:
    try:
        return Path(path).read_text("utf-8")
    except (OSError, UnicodeDecodeError) as error:
        raise Refused("file", path, f"a text file that can be read ({error})", "settings.json") from None


def _context(args: argparse.Namespace) -> Any:
    """The catalogue that ships; with --data the fitting book and the minutes of that data folder over it. Raises
    Refused."""
    from .core.context import Context
    from .core.memory import Memory

    if not args.data:
        return Context()
    from .exchange.in_force import firm_context
    from .store.database import open_database

    if not _database(args).is_file():
        raise Refused("data", args.data, "a data folder with oikotherm.sqlite in it", str(DATA))
    return firm_context(open_database(_database(args)), Memory())


def _print(found: Any) -> None:
    print(json.dumps(found, ensure_ascii=False, indent=1))


# --- commands --------------------------------------------------------------------------------------------------------


def serve(args: argparse.Namespace) -> int:
    """Serve on the loopback address until stopped."""
    config: dict[str, Any] = {}
    host = args.host
    if args.lan:
        config["PASSPHRASE"] = _passphrase(args)
        config["BASE_HOST"] = args.base_host
        host = args.host if args.host != "127.0.0.1" else "0.0.0.0"
    elif args.host not in ("127.0.0.1", "localhost", "::1"):
        raise Refused("host", args.host, "a loopback address; with --lan and a passphrase also others", "127.0.0.1")
    import gc
    import logging

    import waitress

    from .workers import GC_THRESHOLD, WORKERS

    logging.getLogger("waitress.queue").setLevel(logging.ERROR)  # that requests wait a moment is no warning
    gc.set_threshold(*GC_THRESHOLD)
    sys.setswitchinterval(SWITCH_S)

    from .store.files import open_to_others
    from .web import create_app

    if not 0 <= args.port <= MOST_PORT:
        raise Refused("port", args.port, f"a port from 0 to {MOST_PORT}", "8421")
    app = create_app(_data(args), WORKERS=WORKERS, **config)
    gc.freeze()  # what the program itself is of stays: collections pass it by
    try:
        server = waitress.create_server(app, host=host, port=args.port, **LIMITS)
    except (OSError, ValueError, UnicodeError) as error:
        said = getattr(error, "strerror", None) or str(error)
        raise Refused("host and port", f"{host}, {args.port}", f"an address and a free port ({said})", "8421") from None
    if open_to_others(_data(args)):
        print(f"Others of this machine can read {_data(args).resolve()}: chmod 700 closes it.", flush=True)
    print(
        f"Oikotherm serves on http://127.0.0.1:{server.effective_port}  (data in {_data(args).resolve()}; Ctrl-C "
        "stops it)",
        flush=True,
    )
    try:
        server.run()
    except KeyboardInterrupt:
        print("stopped")
    finally:
        app.extensions["workers"].close()
    return 0


def _passphrase(args: argparse.Namespace) -> str:
    """The passphrase for others on the network: from a file or OIKOTHERM_PASSPHRASE. Raises Refused if it is missing or
    short."""
    if args.passphrase_file:
        try:
            words = Path(args.passphrase_file).read_text("utf-8").strip()
        except (OSError, UnicodeDecodeError) as error:
            said = getattr(error, "strerror", None) or "not UTF-8"
            raise Refused(
                "passphrase-file", args.passphrase_file, f"a text file that can be read ({said})", "passphrase.txt"
            ) from None
    else:
        words = os.environ.get("OIKOTHERM_PASSPHRASE", "").strip()
    if len(words) < 10:
        raise Refused(
            "passphrase",
            f"{len(words)} letters",
            "at least 10, in --passphrase-file or OIKOTHERM_PASSPHRASE",
            "kettle lantern towpath",
        )
    return words


def demo(args: argparse.Namespace) -> int:
    """Load the demo jobs that are not there yet, with the van, prices and work of a demo firm; --fresh puts the jobs
    back as they were."""
    from .demo import documents
    from .demo.firm import load_demo
    from .store import jobs
    from .store.database import open_database

    conn = open_database(_database(args))
    there = {job.uid: jobs.exists(conn, job.uid) for job in documents()}
    load_demo(conn, fresh=args.fresh, firm=not args.jobs_only)
    for job in documents():
        print(f"{job.title}: {'kept' if there[job.uid] and not args.fresh else 'loaded'}")
    return 0


def check(args: argparse.Namespace) -> int:
    """The findings of a job document; exit status 1 if one of them is a stop."""
    from .core.design import derive

    design = derive(_read_job(args.job), _context(args))
    left, looked = MOST_TRIED, []
    for finding in design.findings:
        left -= len(finding.remedies)
        looked.append(design.tried(finding) if left >= 0 else finding)
    found = [
        {
            "rule": f.rule,
            "severity": f.severity,
            "where": list(f.where),
            "says": f.says,
            "why": f.why,
            "source": f.source,
            "waived": f.waived,
            "remedies": [
                {"title": r.title, "effect": r.effect, "commands": list(r.commands), "tried": r.tried}
                for r in f.remedies
            ],
            "cures": list(f.cures),
        }
        for f in looked
    ]
    _print({"job": design.job.uid, "title": design.job.title, "findings": found})
    return 1 if any(f.severity == "stop" for f in design.open_findings) else 0


def assemble(args: argparse.Namespace) -> int:
    """What can be put together after what: the order of the joints of a job document, or what stops it; exit status 1
    where there is no order."""
    from .core.design import derive
    from .exchange.assembly import assembly_rows

    design = derive(_read_job(args.job), _context(args))
    found = assembly_rows(design, args.run or "")
    _print({"job": design.job.uid, "title": design.job.title, **found})
    return 0 if found["verdict"] == "order" else 1


def takeoff(args: argparse.Namespace) -> int:
    """The cut list of a job document, as JSON or CSV."""
    from .core.design import derive
    from .exchange.cutlist import cut_csv, cut_rows, totals

    design = derive(_read_job(args.job), _context(args))
    if args.csv:
        sys.stdout.write(cut_csv(design))
    else:
        _print({"job": design.job.uid, "title": design.job.title, "cuts": cut_rows(design), "totals": totals(design)})
    return 0


def size(args: argparse.Namespace) -> int:
    """The sizes of a job's circuits: sections, emitters, index, pump, volume, vessel; or a circuit as it runs at given
    settings."""
    from .core.design import derive
    from .exchange.heating.simulation import run
    from .exchange.heating.sizes import sizes_of

    design = derive(_read_job(args.job), _context(args))
    if args.service and args.service != "heating":  # heating has its own form, with what every circuit is
        from .core.services import spec
        from .exchange.sized import sized_row

        spec.service(args.service)
        if args.service == "gas":
            return _size_gas(args, design)
        if args.service == "water":
            return _size_water(design)
        found = design.sized.get(args.service)
        if found is None:
            raise Refused(
                "service", args.service, f"a service that is sized: {', '.join(design.sized)}", next(iter(design.sized))
            )
        _print({"job": design.job.uid, "title": design.job.title, **sized_row(found)})
        return 0
    if args.simulate:
        text = sys.stdin.read() if args.simulate == "-" else _text(args.simulate)
        said = read_json(text, "settings", '{"emitters": {"R1": {"trv": 0}}}')
        _print({"job": design.job.uid, "title": design.job.title, **run(design, said)})
        return 0
    _print({"job": design.job.uid, "title": design.job.title, "circuits": sizes_of(design)})
    return 0


def _size_gas(args: argparse.Namespace, design: Any) -> int:
    """The gas networks of a job, by the practice's rule, formula and gas or by those asked for."""
    from .core.services.gas.sizing import networks
    from .exchange.gas_sizes import gas_row

    found = networks(design, args.rule, args.formula, args.fuel)
    rows = [gas_row(one, design.job, found, design.context.catalogue) for one in found]
    _print({"job": design.job.uid, "title": design.job.title, "service": "gas", "supplies": rows})
    return 0


def _size_water(design: Any) -> int:
    """The fresh water networks of a job."""
    from .exchange.water_sizes import water_row

    rows = [water_row(design, one) for one in design.sized["water"].detail]
    _print({"job": design.job.uid, "title": design.job.title, "service": "water", "supplies": rows})
    return 0


def export(args: argparse.Namespace) -> int:
    """Write a stored job's document, or its network file, to standard output or a file."""
    from .core.job.document import write

    job = _read_job(args.uid) if args.uid.endswith(".json") else _stored(args)  # with the rows it is worked out with
    if args.network:
        from .core.design import derive
        from .exchange.network import network_json

        text = network_json(derive(job))
    else:
        text = write(job)
    if args.to:
        Path(args.to).write_text(text, "utf-8")
    else:
        sys.stdout.write(text)
    return 0


def _stored(args: argparse.Namespace) -> Any:
    """The head of a stored job, with the rows of the fitting book it is worked out with. Raises Refused."""
    from .exchange.in_force import with_rows_in_force
    from .store import jobs
    from .store.database import open_database

    conn = open_database(_database(args))
    try:
        return with_rows_in_force(conn, jobs.head(conn, args.uid).job)
    except jobs.NoJob:
        known = [row["uid"] for row in jobs.listing(conn)]
        raise Refused(
            "uid", args.uid, f"a job that is stored: {', '.join(known[:6]) or 'none yet'}", known[0] if known else ""
        ) from None


def import_(args: argparse.Namespace) -> int:
    """Store a job document; a uid that is taken gets a new one."""
    from .core.admission import admit
    from .core.job.document import new_uid
    from .core.memory import Memory
    from .exchange.in_force import firm_context
    from .store import jobs
    from .store.database import open_database, writing

    job = _read_job(args.job)
    conn = open_database(_database(args))
    admit(job, firm_context(conn, Memory()))
    with writing(conn):
        if jobs.exists(conn, job.uid):
            job = job.model_copy(update={"uid": new_uid()})
        jobs.create(conn, job, f"imported {Path(args.job).name}")
    _print({"uid": job.uid, "title": job.title})
    return 0


def calc(args: argparse.Namespace) -> int:
    """One calculation: a JSON object as argument or on standard input, one JSON object out."""
    from .core.bench import find_tool
    from .core.bench import tools as calc_tools

    if args.tool == "list":
        _print([{"tool": tool.name, "does": tool.does, "example": tool.example} for tool in calc_tools().values()])
        return 0
    tool = find_tool(args.tool)
    if args.help_tool:
        print(tool.help())
        return 0
    text = args.input if args.input is not None else sys.stdin.read()
    said = read_json(text, "input", json.dumps(tool.example))
    _print(tool.run(said, _context(args)))
    return 0


def backup(args: argparse.Namespace) -> int:
    """Copy the database to a file while it is in use."""
    from .store.backup import backup as copy
    from .store.database import now, open_database

    if not _database(args).exists():
        raise Refused(
            "data", str(_data(args)), "a data folder with a database: there is nothing to back up here", "data"
        )
    to = Path(args.to or f"oikotherm-backup-{now()[:19].replace(':', '')}.sqlite")
    copy(open_database(_database(args)), to)
    _print({"backup": str(to), "bytes": to.stat().st_size})
    return 0


def restore(args: argparse.Namespace) -> int:
    """Put a backup in place of the database; what was there is kept beside it."""
    from .store.restore import restore as put_back

    kept = put_back(Path(args.source), _database(args))
    _print({"restored": args.source, "kept": str(kept) if kept else None})
    return 0


def schema(args: argparse.Namespace) -> int:
    """The JSON Schema of the job document."""
    from .core.job.document import json_schema

    _print(json_schema())
    return 0


# --- the parser ------------------------------------------------------------------------------------------------------


class _Parser(argparse.ArgumentParser):
    """Says what was wrong as the error object, like everything else here."""

    def error(self, message: str) -> Any:
        raise Refused("command", " ".join(sys.argv[1:]), message, f"{self.prog} --help")

    def _print_message(self, message: str, file: Any = None) -> None:
        """As argparse does, but what cannot be written is an error."""
        (file or sys.stderr).write(message)


def sim(args: argparse.Namespace) -> int:
    """A stand-in for a device: gauge reads a pipe that leaks, and sends its readings to a running test; backflow is a
    differential gauge on an assembly; merchant answers for prices."""
    if args.device == "backflow":
        return _sim_backflow(args)
    if args.device == "merchant":
        return _sim_merchant(args)
    for name in ("url", "volume"):
        if getattr(args, name) is None:
            raise Refused(f"--{name}", "nothing", f"--{name} of the gauge", "20" if name == "volume" else "http://...")
    from .core.quantity import parse
    from .core.work.gauge_sim import GaugeSim, read_temps
    from .exchange.gauge_sender import send

    temps = read_temps(_text(args.temperature_file)) if args.temperature_file else ((0.0, 20.0),)
    gauge = GaugeSim(
        parse(args.volume, "volume", "L", field="volume") * 1000,
        parse(args.start, "pressure", "mbar", field="start"),
        leak_l_h=args.leak,
        let_by_l_h=args.let_by,
        temps=temps,
        resolution_pa=parse(args.resolution, "pressure", "mbar", field="resolution"),
        noise_pa=parse(args.noise, "pressure", "mbar", field="noise"),
        seed=args.seed,
    )
    print("simulated gauge", file=sys.stderr, flush=True)
    done = send(args.url, gauge, minutes=args.minutes, every_s=args.every, speed=args.speed)
    print(json.dumps({"readings": done.readings, "ended": done.why}))
    return 0


def _sim_merchant(args: argparse.Namespace) -> int:
    """A merchant on the loopback address, until it is stopped."""
    from .exchange.merchant import stand_in

    if not 0 <= args.missing <= 1:
        raise Refused("--missing", args.missing, "a share from 0 to 1", "0.06")
    server = stand_in(args.port, args.missing, lambda words: print(words, file=sys.stderr, flush=True))
    print(f"simulated merchant on http://127.0.0.1:{server.server_port}", file=sys.stderr, flush=True)
    try:
        server.serve_forever()
    except KeyboardInterrupt:
        pass
    finally:
        server.server_close()
    return 0


def _sim_backflow(args: argparse.Namespace) -> int:
    """The readings of a simulated differential gauge, in psi, with the steps they are read at and what they say."""
    from .core.quantity import PA_PER_PSI
    from .core.services.water.backflow import KINDS, judge, simulated

    readings = simulated(args.kind, args.fault, args.seed)
    found = judge(args.kind, readings)
    print("simulated gauge", file=sys.stderr, flush=True)
    _print(
        {
            "kind": args.kind,
            "simulated": True,
            "readings": {name: round(value / PA_PER_PSI, 1) for name, value in readings.items()},
            "unit": "psi",
            "steps": [text for text, _ in KINDS[args.kind].steps],
            "verdict": "pass" if found.passed else "fail",
            "why": list(found.why),
        }
    )
    return 0


def parser() -> argparse.ArgumentParser:
    top = _Parser(
        prog="oikotherm", description="Pipework for heating and appliance installers: from a paced run to a cut sheet."
    )
    sub = top.add_subparsers(dest="command", required=True, metavar="COMMAND", parser_class=_Parser)

    def add(
        name: str, function: Callable[[argparse.Namespace], int], *, data: bool = False, **more: Any
    ) -> argparse.ArgumentParser:
        one: argparse.ArgumentParser = sub.add_parser(
            name, help=(function.__doc__ or "").splitlines()[0], description=function.__doc__, **more
        )
        one.set_defaults(function=function)
        if data:
            one.add_argument("--data", default=str(DATA), help="data folder (default: ./data)")
        return one

    server = add("serve", serve, data=True)
    server.add_argument("--port", type=int, default=PORT, help=f"port (default: {PORT}; 0 takes a free one)")
    server.add_argument("--host", default="127.0.0.1", help="loopback address")
    server.add_argument("--lan", action="store_true", help="serve to the local network too; wants a passphrase")
    server.add_argument("--passphrase-file", help="file with the passphrase; else OIKOTHERM_PASSPHRASE")
    server.add_argument("--base-host", help="a host name this server answers to on the network")
    demos = add("demo", demo, data=True)
    demos.add_argument("--fresh", action="store_true", help="put the demo jobs back as they were")
    demos.add_argument("--jobs-only", action="store_true", help="without the firm: its van, prices, records")
    book = "data folder whose fitting book is laid over the catalogue (default: none)"
    checked = add("check", check)
    checked.add_argument("job", help="job document")
    checked.add_argument("--data", help=book)
    sized = add("size", size)
    sized.add_argument("--data", help=book)
    sized.add_argument("job", help="job document")
    sized.add_argument(
        "--service", help="the networks of one service, as every service gives them (heating, or another that sizes)"
    )
    for name, kinds in (
        ("rule", ("longest", "branch", "network")),
        ("formula", ("north-american", "metric")),
        ("fuel", ("natural", "propane")),
    ):
        sized.add_argument(f"--{name}", choices=kinds, help="of gas: other than the practice has it")
    sized.add_argument(
        "--simulate", metavar="FILE", help="settings as JSON (- for standard input): run the circuit instead"
    )
    put = add("assemble", assemble)
    put.add_argument("--data", help=book)
    put.add_argument("job", help="job document")
    put.add_argument("--run", help="one run alone, such as G1 (default: all new pipe, service by service)")
    cut = add("takeoff", takeoff)
    cut.add_argument("job", help="job document")
    cut.add_argument("--data", help=book)
    cut.add_argument("--csv", action="store_true", help="CSV in place of JSON")
    out = add("export", export, data=True)
    out.add_argument("uid", metavar="JOB", help="the job's uid, or a job document")
    out.add_argument(
        "--network", action="store_true", help="its solved networks in place of the document, for any solver to check"
    )
    out.add_argument("--to", help="file to write")
    add("import", import_, data=True).add_argument("job", help="job document")
    bench = add("calc", calc, add_help=False)
    bench.add_argument("--data", help=book)
    bench.add_argument("tool", nargs="?", default="list", help="the tool, or list")
    bench.add_argument("input", nargs="?", help="one JSON object; else standard input")
    bench.add_argument(
        "-h", "--help", dest="help_tool", action="store_true", help="fields, units and an example of the tool"
    )
    device = add("sim", sim)
    device.add_argument(
        "device",
        choices=("gauge", "backflow", "merchant"),
        help="gauge: a pressure gauge with a logger; backflow: a differential gauge on an assembly; merchant: answers "
        "for prices",
    )
    device.add_argument("--url", help="of gauge: the address a running test gives")
    device.add_argument("--volume", help="of gauge: of the pipe; L, or text with a unit")
    device.add_argument("--kind", choices=("rpz", "dc", "pvb"), default="rpz", help="of backflow: the assembly (rpz)")
    device.add_argument(
        "--fault",
        choices=("none", "first", "second", "relief", "air"),
        default="none",
        help="of backflow: what is wrong with it (none)",
    )
    device.add_argument("--start", default="20.5", help="pressure it begins at; mbar, or text with a unit (20.5)")
    device.add_argument("--leak", type=float, default=0.0, help="of free air at the start pressure, L/h (0)")
    device.add_argument("--let-by", type=float, default=0.0, help="what a valve at the boundary lets in, L/h (0)")
    device.add_argument("--temperature-file", help="lines of minutes, pipe temperature in C (20 C)")
    device.add_argument("--resolution", default="0.1", help="last digit; mbar, or text with a unit (0.1)")
    device.add_argument("--noise", default="0", help="standard deviation; mbar, or text with a unit (0)")
    device.add_argument("--speed", type=float, default=1.0, help="times faster than real time (1)")
    device.add_argument("--minutes", type=float, default=1440.0, help="how long, of its own time (1440)")
    device.add_argument("--every", type=float, default=1.0, help="seconds between readings (1)")
    device.add_argument("--seed", type=int, default=1, help="of its noise (1)")
    device.add_argument("--port", type=int, default=8430, help="of merchant: its port on 127.0.0.1 (8430)")
    device.add_argument("--missing", type=float, default=0.06, help="of merchant: share it has none of (0.06)")
    add("backup", backup, data=True).add_argument("to", nargs="?", help="file to make")
    add("restore", restore, data=True).add_argument("source", help="a backup")
    add("schema", schema)
    return top


def main(argv: Sequence[str] | None = None) -> int:
    """Run a command; its exit status."""
    args = argparse.Namespace()
    try:
        try:
            args = parser().parse_args(argv)
        except SystemExit as done:  # help was asked for
            sys.stdout.flush()
            return int(done.code or 0)
        status: int = args.function(args)
        sys.stdout.flush()
        return status
    except Refused as refused:
        return _refuse(refused)
    except BrokenPipeError:
        _forget_output()
        return 0
    except OSError as error:
        _forget_output()
        said = error.filename or "output"
        return _refuse(
            Refused("file", said, f"a file or folder that can be used ({error.strerror or error})", str(DATA))
        )
    except sqlite3.Error as error:
        where = getattr(args, "data", None) or DATA
        expected = f"a data folder with room, that can be written, and a whole database ({error})"
        return _refuse(Refused("data", where, expected, "oikotherm restore BACKUP"))


def _refuse(refused: Refused) -> int:
    """Say it as the error object; the exit status."""
    print(json.dumps({"error": refused.as_dict()}), file=sys.stderr)
    return 2


def _forget_output() -> None:
    """What could not be written stays unwritten: Python must not try again while it ends."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
