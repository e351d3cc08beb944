"""Simulated devices and hops that ship with Reel."""

from reel.standins.devices import greenhouse_camera
from reel.standins.microphone import listen
from reel.standins.own import RecordingDevice
from reel.standins.rig import Assembled, assemble
from reel.standins.room import Claps
from reel.standins.scenario import Fault, Scenario, Shows, faults_of, for_inputs
from reel.standins.stamp import read_beacon, read_stamp
from reel.standins.trouble import Trouble

__all__ = [
    "Assembled",
    "Claps",
    "Fault",
    "RecordingDevice",
    "Scenario",
    "Shows",
    "Trouble",
    "assemble",
    "faults_of",
    "for_inputs",
    "greenhouse_camera",
    "listen",
    "read_beacon",
    "read_stamp",
]
