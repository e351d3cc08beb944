"""Fernhollow's rigs that show what Frame and Sound are for, and what lies on its phone."""

import os
import shutil
import time
from collections.abc import Iterator, Sequence
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from reel.core.file import Purpose
from reel.core.frame import Advice, Arrangement, Fit, Piece, Place, proposals
from reel.core.frame.edit import side_by_side
from reel.core.line import (
    Camera,
    Connector,
    DeviceKind,
    HopSetup,
    InputSetup,
    RigSetup,
    Simulated,
    propose,
    propose_input,
    signal_chain,
)
from reel.core.line.edit import set_own
from reel.core.line.own_settings import OwnShape
from reel.core.media import with_chapters
from reel.core.signal import Mode
from reel.core.sound import SoundSetup, TrackSetup
from reel.standins.scenario import Scenario
from reel.standins.storage import DeviceStorage, Link

Named = tuple[str, RigSetup, Sequence[Scenario]]

# Recipes of the media room, each made from a starting point.
RECIPES = {
    "Evening, small files": Purpose.LONG,
    "For the cutting room": Purpose.EDIT,
    "For the garden's site": Purpose.SHARE,
    "Archive of the garden": Purpose.KEEP,
    "Old computer in the shed": Purpose.WEAK,
}


def workspaces() -> Iterator[Named]:
    """Return the rigs, each with its name and its scenarios."""
    yield _with_the_bench()
    yield _side_by_side()
    yield _walk_in_16_9()
    yield _tape_in_a_wide_frame()
    yield _recorded_by_the_phone()


def _with_the_bench() -> Named:
    """The console with the bench beside it: a camera in the corner, two microphones and the visitors' line."""
    rig = propose(DeviceKind.CONSOLE, {"hdmi-box"})
    beside = (
        (DeviceKind.CAMERA, "Bench camera", "Potting bench camera", 0.0, "voice"),
        (DeviceKind.MICROPHONE, "Bench microphone", "Bench microphone", 3.0, "voice"),
        (DeviceKind.MICROPHONE, "Backup microphone", "Backup microphone", 0.0, "backup"),
        (DeviceKind.CHAT, "Visitors' line", "Visitors' line", 0.0, "visitors"),
    )
    inputs = [replace(rig.picture, name="Moss & Stone")]
    tracks = ["game"]
    for kind, name, device, level_db, track in beside:
        if track not in tracks and kind is not DeviceKind.CAMERA:
            tracks.append(track)
        one = propose_input(kind)
        if isinstance(one.device, Camera):  # its picture is small in the frame
            one = replace(one, device=replace(one.device, mode=Mode.parse("640x480p30")))
        goes = () if kind is DeviceKind.CAMERA else (tracks.index(track) + 1,)
        origin = Simulated(device=device, shared=kind is DeviceKind.CHAT)
        inputs.append(replace(one, name=name, origin=origin, sound=SoundSetup(level_db=level_db, tracks=goes)))
    corner = Place(x_px=916, y_px=500, width_px=336, height_px=190)
    bench = Piece(input="Bench camera", place=corner, fit=Fit.FILL, key="c")
    arrangements = (
        Arrangement(name="Game alone"),
        Arrangement(name="Game and bench", pieces=(Piece(), bench)),
        Arrangement(name="Bench alone", pieces=(Piece(input="Bench camera"),)),
    )
    frame = replace(rig.frame, arrangements=(arrangements[1], arrangements[0], arrangements[2]))
    named = tuple(TrackSetup(name=name) for name in tracks)
    scenarios = (
        Scenario(),
        Scenario(lag_ms=90),
        Scenario(lag_ms=15),
        Scenario(far=True, lag_ms=40),
        Scenario(),
    )  # no two are in step
    light = replace(rig.recipe, effort="ultrafast")  # five inputs are read and four tracks written beside it
    rig = replace(rig, inputs=tuple(inputs), frame=frame, tracks=named, recipe=light)
    return "Moss & Stone with the bench", rig, scenarios


def _side_by_side() -> Named:
    """The phone and the tablet beside each other, each with a size of its own, on the garden's green."""
    phone = replace(propose(DeviceKind.PHONE).picture, name="Leafkey")
    tablet = replace(propose_input(DeviceKind.TABLET), name="Pollen Atlas", sound=SoundSetup(tracks=(2,)))
    rig = propose(DeviceKind.PHONE)
    frame = replace(rig.frame, mode=Mode.parse("1280x720p30"), ground="#1f2a24")
    frame = side_by_side(frame, 0, [("", (720, 1560)), ("Pollen Atlas", (1024, 1366))])
    cased = tuple(replace(piece, outline=True) for piece in frame.arrangements[0].pieces)
    arranged = replace(frame.arrangements[0], name="Side by side", pieces=cased)
    alone = Arrangement(name="Pollen Atlas alone", pieces=(Piece(input="Pollen Atlas"),))
    frame = replace(frame, arrangements=(arranged, Arrangement(name="Leafkey alone"), alone))
    tracks = (TrackSetup(name="Leafkey"), TrackSetup(name="Pollen Atlas"))
    return "Leafkey and Pollen Atlas", replace(rig, inputs=(phone, tablet), frame=frame, tracks=tracks), ()


def _walk_in_16_9() -> Named:
    """The headset's nearly square picture in 16:9: the part that is kept lies a little below its middle."""
    rig = _named(propose(DeviceKind.HEADSET), "Canopy")
    carried = signal_chain(rig.picture).carried
    assert carried is not None
    mode = carried.signal.mode
    found = proposals(rig.frame, (mode.width_px, mode.height_px), carried.signal.pixel_aspect, None)
    frame = next(one.frame for one in found if one.advice is Advice.PART)
    return "Canopy in 16:9", replace(rig, frame=frame), ()


def _tape_in_a_wide_frame() -> Named:
    """The tape in a wide frame, with the bars that this makes at its sides."""
    rig = _named(propose(DeviceKind.DECK, {"analogue-box"}), "Opening Day")
    frame = replace(rig.frame, mode=Mode.parse("1280x720p50"))
    return "Opening Day in a wide frame", replace(rig, frame=frame), ()


def _recorded_by_the_phone() -> Named:
    """The phone's own recorder, set to a wide part of the screen, for a minute at a time."""
    rig = _named(propose(DeviceKind.PHONE), "Leafkey")
    device = rig.picture.device.set(out=Connector.STORAGE)
    one = replace(rig.picture, device=device, path=(HopSetup(model="own-recorder"),))
    assert one.own is not None
    one = set_own(one, replace(one.own, longer_px=1024, shape=OwnShape.WIDE, limit_s=60, again=True))
    return "Leafkey, by the phone itself", rig.with_input(0, one), ()


def _named(rig: RigSetup, name: str) -> RigSetup:
    one: InputSetup = replace(rig.picture, name=name)
    return replace(rig.with_input(0, one), tracks=(TrackSetup(name=name),))


# How many files the phone holds, how many hours lie between them, and how fast its link carries them.
PHONE_FILES, HOURS_APART, LINK_BYTES_PER_S = 12, 9, 200_000


def fill_phone(folder: Path, taken: Sequence[Path]) -> None:
    """Lay recordings on the phone's own storage, the first of them files that are on the shelf already."""
    folder.mkdir(parents=True, exist_ok=True)
    now = time.time()
    for number in range(PHONE_FILES):
        target = folder / f"recording_{PHONE_FILES - number:04}.mp4"
        if number < len(taken):
            shutil.copyfile(taken[number], target)
        else:  # a file of its own, with the same packets
            chapter = (Fraction(0), Fraction(1), f"leaf {number}")
            with_chapters(taken[0], target, [chapter], lambda part: None)
        moment = now - number * HOURS_APART * 3600
        os.utime(target, (moment, moment))
    DeviceStorage(folder, "the phone", time.sleep).set_link(Link(bytes_per_s=LINK_BYTES_PER_S))
