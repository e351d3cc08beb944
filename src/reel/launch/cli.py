"""The command line."""

import argparse
import os
import sys
from pathlib import Path

from reel import options
from reel.core.errors import ReelError
from reel.launch.commands import add_commands


def main(arguments: list[str] | None = None) -> None:
    """Run one command; exits non-zero with a sentence when it failed."""
    chosen = _parser().parse_args(arguments)
    try:
        sys.exit(chosen.run(chosen))
    except ReelError as error:
        sys.exit(f"reel: {error}")


def _parser() -> argparse.ArgumentParser:
    settings = "\n".join(
        f"  {options.PREFIX}{o.name:8} {o.help} ({o.unit}; default {o.default or 'empty'})"
        for o in options.OPTIONS.values()
    )
    parser = argparse.ArgumentParser(
        prog="reel",
        description="Records consoles, phones, headsets and feeds into faithful local files.",
        epilog=f"Settings from the environment:\n{settings}",
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    for name, demo, text in (
        ("demo", True, "start Reel with the demo rigs of Fernhollow in a home of its own"),
        ("start", False, "start Reel"),
    ):
        command = commands.add_parser(name, help=text, description=text.capitalize() + ".")
        command.add_argument("--port", type=int, help="where the pages are served (default 8047)")
        command.add_argument("--home", type=Path, metavar="DIR", help="the folder that everything lives under")
        command.set_defaults(run=_start, demo=demo)
    test = commands.add_parser("test", help="run all checks and tests", description="Run all checks and tests.")
    test.add_argument("only", nargs="*", help="run only these tests, without the checks (dotted names or folders)")
    test.set_defaults(run=_test)
    bench = commands.add_parser("bench", help="measure, beside the baseline", description="Measure; takes a minute.")
    bench.add_argument(
        "--kills",
        type=int,
        default=0,
        metavar="N",
        help="also kill recorder, web and worker in turn, N times",
    )
    bench.add_argument("--live", type=float, default=0, metavar="MIN", help="also roll so long with a page open")
    bench.add_argument("--long", type=float, default=0, metavar="H", help="also record so long on the virtual clock")
    bench.add_argument("--pair", type=float, default=0, metavar="S", help="also roll two rigs so long")
    bench.add_argument("--bursts", type=float, default=0, metavar="S", help="also roll so long beside bursts of load")
    bench.add_argument("--only", action="store_true", help="leave out what is not asked for")
    bench.add_argument("--keep", action="store_true", help="make the result the baseline")
    bench.set_defaults(run=_bench)
    assets = commands.add_parser("assets", help="build styles, scripts and fonts (needs Node)")
    assets.set_defaults(run=_assets)
    add_commands(commands)
    return parser


# What a command needs is imported when it runs: help is there at once.
def _test(chosen: argparse.Namespace) -> int:
    from reel.launch.checks import run_checks

    return run_checks(chosen.only)


def _bench(chosen: argparse.Namespace) -> int:
    from reel.launch.bench import run_bench

    return run_bench(
        kills=chosen.kills,
        live_min=chosen.live,
        long_h=chosen.long,
        pair_s=chosen.pair,
        burst_s=chosen.bursts,
        only=chosen.only,
        keep=chosen.keep,
    )


def _assets(chosen: argparse.Namespace) -> int:
    from reel.launch.assets import build_assets

    return build_assets()


def _start(chosen: argparse.Namespace) -> int:
    from reel.launch.parent import run

    if chosen.home:
        os.environ["REEL_HOME"] = str(chosen.home.resolve())
    elif chosen.demo and "REEL_HOME" not in os.environ:
        os.environ["REEL_HOME"] = str(options.ROOT / "home" / "demo")
    if chosen.port is not None:
        os.environ["REEL_PORT"] = str(chosen.port)
    return run(options.Home.from_environment(), options.port(), demo=chosen.demo)
