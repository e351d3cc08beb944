"""The commands that work on a home from the shell: roll, rigs, takes, probe."""

import json
import os
import sys
from argparse import ArgumentParser, ArgumentTypeError, Namespace, RawDescriptionHelpFormatter, _SubParsersAction
from pathlib import Path
from typing import TYPE_CHECKING, Any

from reel.launch.prepared import prepare
from reel.options import Home

if TYPE_CHECKING:
    from reel.core.file import Container
    from reel.core.media import MediaFacts

# What a file says of its length and what it holds differ by less, also where nothing was lost.
TELLING_S = 0.1
ROLL_EXAMPLES = """examples:
  ./reel roll "Moss & Stone, console" --for 10s
  ./reel roll 1 --for 2.5min --json --home home/demo
  ./reel roll 1 2 --until 23:30,gone:10s --parts 30min --recipe "Archive of the garden\""""


def add_commands(commands: "_SubParsersAction[ArgumentParser]") -> None:
    roll = _add_roll(commands)
    rigs = commands.add_parser("rigs", help="list the rigs", description="List the rigs of a home.")
    rigs.set_defaults(run=lambda chosen: _django("list_rigs", chosen))
    takes = commands.add_parser("takes", help="list the takes", description="List the takes of a home, newest first.")
    takes.set_defaults(run=lambda chosen: _django("list_takes", chosen))
    recipes = commands.add_parser("recipes", help="list the recipes that are kept", description="Recipes under a name.")
    recipes.set_defaults(run=lambda chosen: _django("list_recipes", chosen))
    machine = commands.add_parser(
        "bench-machine",
        help="measure what this machine keeps up with",
        description="Encode a rig's own picture with each codec and effort, for about 90 s, and keep the speeds.",
    )
    machine.add_argument(
        "rig", nargs="?", default="", metavar="RIG", help="a rig's name or number; the first if left out"
    )
    machine.set_defaults(run=lambda chosen: _django("bench_machine", chosen, *filter(None, [chosen.rig])))
    finish = commands.add_parser(
        "finish",
        help="finish takes as a finish that is kept says",
        description="Make of each take what a finish that is kept under a name says: a take of its own, beside it.",
        epilog='example:\n  ./reel finish "Moss & Stone, console 001" 14 15 --as "Talk, tidied" --json',
        formatter_class=RawDescriptionHelpFormatter,
    )
    finish.add_argument("takes", nargs="+", metavar="TAKE", help="a take's name or number")
    finish.add_argument("--as", dest="kept", required=True, metavar="NAME", help="the finish")
    finish.set_defaults(run=lambda chosen: _django("finish_takes", chosen, *chosen.takes, "--as", chosen.kept))
    for command in (roll, rigs, takes, recipes, machine, finish):
        command.add_argument("--home", type=Path, metavar="DIR", help="the home folder (default: REEL_HOME or ~/Reel)")
        command.add_argument("--json", action="store_true", help="print JSON")
    look = commands.add_parser(
        "probe", help="say what a media file really holds", description="Read a whole media file and say what it holds."
    )
    look.add_argument("file", type=Path)
    look.add_argument("--json", action="store_true", help="print JSON")
    look.set_defaults(run=_probe)
    _add_rewrap(commands)
    mend = commands.add_parser(
        "rescue",
        help="repair a media file that was not closed",
        description="Copy all that can be read of a media file into a whole one beside it; it stays as it is.",
    )
    mend.add_argument("file", type=Path)
    mend.add_argument("--json", action="store_true", help="print JSON")
    mend.set_defaults(run=_rescue)


def _add_rewrap(commands: "_SubParsersAction[ArgumentParser]") -> None:
    wrap = commands.add_parser(
        "rewrap",
        help="put media files into another container",
        description="Copy the packets of media files into another container, beside each and never over one.",
        epilog="example:\n  ./reel rewrap *.mkv --to mp4 --json",
        formatter_class=RawDescriptionHelpFormatter,
    )
    wrap.add_argument("files", nargs="+", type=Path, metavar="FILE")
    wrap.add_argument("--to", required=True, type=_target, metavar="CONTAINER", help="the container, as mp4 or mkv")
    wrap.add_argument("--json", action="store_true", help="print JSON")
    wrap.set_defaults(run=_rewrap)


def _target(typed: str) -> "Container":
    """Read a container that files are put into; the table of those is read only then."""
    from reel.core.finish import TARGETS

    found = next((one for one in TARGETS if one.value == typed), None)
    if found is None:
        raise ArgumentTypeError(f"{typed[:20]}: it is one of {', '.join(one.value for one in TARGETS)}")
    return found


def _rewrap(chosen: Namespace) -> int:
    """Rewrap files one after the other; one that can't be is said, and the others are made. Returns 1 for those."""
    made = [_rewrapped(source, chosen.to) for source in chosen.files]
    if chosen.json:
        json.dump(made, sys.stdout, indent=2)
        print()
    else:
        for one in made:
            print(f"rewrapped  {one['file']}" if one["file"] else f"failed     {one['source']}: {one['problem']}")
            for left in one["left_out"]:
                print(f"           left out: {left['stream']}. {left['why']}.")
    return 1 if any(one["problem"] for one in made) else 0


def _rewrapped(source: Path, container: "Container") -> dict[str, Any]:
    from reel.core.errors import ReelError
    from reel.core.finish import Finish, plan
    from reel.core.media import Shelf, check_plain
    from reel.core.media.finishing import finish_file, source_of

    told: dict[str, Any] = {"source": str(source), "file": None, "left_out": [], "notes": [], "problem": None}
    try:
        check_plain(source)
        finish = Finish(container=container)
        planned, shelf = plan(finish, source_of(source)), Shelf(source.parent)
        reserved = shelf.reserve_copy(f"{source.stem}.{finish.suffix}")
        try:
            finish_file(source, reserved.rolling, planned, lambda part: None)
            told["file"] = str(shelf.complete(reserved))
        finally:
            shelf.discard(reserved)  # nothing, once it has its name
    except ReelError as error:
        return told | {"problem": str(error)}
    left_out = [{"stream": one.stream.title or one.stream.kind.value, "why": one.why} for one in planned.left_out]
    return told | {"left_out": left_out, "notes": list(planned.notes)}


def _add_roll(commands: "_SubParsersAction[ArgumentParser]") -> ArgumentParser:
    roll = commands.add_parser(
        "roll",
        help="record a take of a rig",
        description="Record a take, through the running recorder if there is one.",
        epilog=ROLL_EXAMPLES,
        formatter_class=RawDescriptionHelpFormatter,
    )
    roll.add_argument("rigs", nargs="+", metavar="RIG", help="a rig's name or number; several roll at the same time")
    roll.add_argument("--for", dest="length", metavar="LENGTH", help="how long, to the frame, like 10s, 2.5min, 1h")
    roll.add_argument(
        "--until",
        default="",
        metavar="WHAT",
        help="what cuts it: 23:30, 4GB, gone:10s, black:10s, still:10s, locked; several with commas",
    )
    roll.add_argument("--parts", default="", metavar="EVERY", help="a new part every so often, like 30min or 4GB")
    roll.add_argument("--recipe", default="", metavar="NAME", help="a kept recipe instead of the rig's own")
    roll.set_defaults(run=_roll)
    return roll


def _rescue(chosen: Namespace) -> int:
    """Repair a file beside it, and say what was saved and what was lost."""
    from reel.core.media import NameTakenError, check_plain, claimed_length, probe, rescue, rescued_path
    from reel.core.wire import to_plain

    source: Path = chosen.file
    check_plain(source)
    target = rescued_path(source)
    if target.exists():
        raise NameTakenError(target)
    rescue(source, target)
    facts, claimed_s = probe(target), claimed_length(source)
    # it says no more than what had been noted before it broke off: what came after that nobody knows
    known_s = 0.0 if claimed_s is None else float(claimed_s - facts.length_s)
    lost_s = round(known_s, 2) if known_s >= TELLING_S else None
    if chosen.json:
        json.dump({"file": str(target), "lost_at_least_s": lost_s, "facts": to_plain(facts)}, sys.stdout, indent=2)
        print()
        return 0
    print("\n".join([f"repaired   {target}", *_lines(facts)]))
    unknown = "not known: a file that was not closed does not say how long it was to be"
    print(f"lost       {unknown if lost_s is None else f'at least {lost_s:.2f} s'}")
    return 0


def _roll(chosen: Namespace) -> int:
    from reel.core.file import parse_length

    length_s = parse_length(chosen.length) if chosen.length else 0.0
    more = {"recipe": chosen.recipe, "parts": chosen.parts, "until": chosen.until}
    return _django("roll", chosen, *chosen.rigs, length_s=length_s, **more)


def _django(name: str, chosen: Namespace, *arguments: str, **options: Any) -> int:
    """Run one of the web's commands in this process; it raises a ReelError when it failed."""
    if chosen.home:
        os.environ["REEL_HOME"] = str(chosen.home.expanduser().resolve())
    os.environ["DJANGO_SETTINGS_MODULE"] = "reel.web.settings"
    home = Home.from_environment()
    home.make()
    prepare(home)
    import django
    from django.core.management import call_command

    django.setup()
    call_command(name, *arguments, json=chosen.json, **options)
    return 0


def _probe(chosen: Namespace) -> int:
    from reel.core.media import check_plain, probe
    from reel.core.wire import to_plain

    check_plain(chosen.file)
    facts = probe(chosen.file)
    if chosen.json:
        json.dump(to_plain(facts), sys.stdout, indent=2)
        print()
    else:
        print("\n".join(_lines(facts)))
    return 0


def _lines(facts: "MediaFacts") -> list[str]:
    from reel.core.signal import length_label, rate_label

    lines = [
        f"container  {facts.container}",
        f"length     {length_label(facts.length_s)}",
        f"size       {facts.size_bytes} bytes",
    ]
    if video := facts.video:
        rate = (
            f"{rate_label(video.rate.rate)} {'fixed' if video.rate.fixed else 'varying'}" if video.rate else "unknown"
        )
        missing = f", {video.rate.missing} missing" if video.rate and video.rate.missing else ""
        colour = f"{video.matrix or 'untagged'} {video.range or 'untagged'}"
        lines += [
            f"picture    {video.codec} {video.profile}, {video.width_px}×{video.height_px}, {rate}",
            f"           {video.pixels}, {colour}, {video.bitrate_bps / 1e6:.2f} Mb/s",
            f"           {video.frames} frames{missing}",
        ]
    for track in facts.sound:
        what = f"{track.codec} {track.profile}, {track.rate_hz} Hz, {track.channels} channels"
        lines.append(f"sound      {what}, {track.bitrate_bps / 1e3:.0f} kb/s, starts at {float(track.start_s):+.3f} s")
    return lines
