"""Simulated devices and hops that ship with Reel."""

from reel.standins.devices import greenhouse_camera
from reel.standins.own import OwnRecorder
from reel.standins.rig import Chain, assemble
from reel.standins.stamp import read_beacon, read_stamp

__all__ = ["Chain", "OwnRecorder", "assemble", "greenhouse_camera", "read_beacon", "read_stamp"]
