"""Rigs for tests."""

from dataclasses import replace

from reel.core.file import Recipe
from reel.core.frame import FrameSetup
from reel.core.line import Feed, HopSetup, InputSetup, MediaFile, Network, RigSetup, Simulated
from reel.core.signal import Mode

MODE = Mode.parse("1280x720p30")


def path(*models):
    return tuple(HopSetup(model=model) for model in models)


def one(device, *models, name="Picture", **more):
    """One input."""
    origin = more.pop("origin", Simulated(device=name))
    return InputSetup(name=name, device=device, origin=origin, path=path(*models), **more)


def feed_input(place, name="Feed", loop=True, listen=False, **more):
    """A feed from a file's name or an address."""
    origin = Network(address=place, listen=listen) if "://" in place else MediaFile(name=place, loop=loop)
    return InputSetup(name=name, device=Feed(), origin=origin, **more)


def of(*inputs, mode=MODE, as_it_comes=False, recipe=None, frame=None, **more):
    """A rig of inputs, recorded in a frame of `mode`."""
    frame = frame or FrameSetup(mode=mode, as_it_comes=as_it_comes)
    return RigSetup(inputs=inputs, frame=frame, recipe=recipe or Recipe(), **more)


def rig(device, *models, mode=MODE, recipe=None, as_it_comes=False, **more):
    """A rig of one device and its path."""
    return of(one(device, *models, **more), mode=mode, recipe=recipe, as_it_comes=as_it_comes)


def feed(place, mode=MODE, recipe=None, as_it_comes=False, **more):
    """A rig of one feed."""
    return of(feed_input(place, **more), mode=mode, recipe=recipe, as_it_comes=as_it_comes)


def with_picture(setup, *, device=None, **changes):
    """A rig whose first input is set otherwise; `device` are changes of the device's settings."""
    if device:
        changes["device"] = replace(changes.get("device", setup.picture.device), **device)
    return setup.with_input(0, replace(setup.picture, **changes))
