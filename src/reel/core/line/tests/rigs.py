"""Rigs for tests."""

from reel.core.file import Recipe
from reel.core.line import Feed, HopSetup, MediaFile, Network, Plugged, RigSetup
from reel.core.signal import Mode

RECIPE = Recipe(frame=Mode.parse("1280x720p30"))


def path(*models):
    return tuple(HopSetup(model=model) for model in models)


def rig(device, *models, recipe=RECIPE, **more):
    return RigSetup(device=device, origin=Plugged(device="test"), path=path(*models), recipe=recipe, **more)


def feed(place, recipe=RECIPE, **more):
    """A feed from a file's name or an address."""
    origin = Network(address=place, **more) if "://" in place else MediaFile(name=place, **more)
    return RigSetup(device=Feed(), origin=origin, recipe=recipe)
