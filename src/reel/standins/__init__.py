"""Simulated devices that ship with Reel."""

from reel.standins.devices import Console, GreenhouseCamera
from reel.standins.stamp import read_beacon, read_stamp

__all__ = ["Console", "GreenhouseCamera", "read_beacon", "read_stamp"]
