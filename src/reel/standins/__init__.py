"""Simulated devices that ship with Reel."""

from reel.standins.console import Console
from reel.standins.stamp import read_beacon, read_stamp

__all__ = ["Console", "read_beacon", "read_stamp"]
