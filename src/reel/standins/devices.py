"""The devices of Fernhollow's media room."""

from reel.core.signal import Mode
from reel.standins.ambience import ambience_at
from reel.standins.device import StandIn
from reel.standins.greenhouse import greenhouse_scene
from reel.standins.moss import moss_scene


class Console(StandIn):
    """The console: it plays *Moss & Stone*."""

    def __init__(self, mode: Mode, *, start_ns: int, drift_ppm: float = 0.0) -> None:
        super().__init__(
            "The console",
            mode,
            scene=moss_scene(mode.width_px, mode.height_px),
            sound=ambience_at,
            start_ns=start_ns,
            drift_ppm=drift_ppm,
        )


class GreenhouseCamera(StandIn):
    """The camera in the palm house; it hears the same drops."""

    def __init__(self, mode: Mode, *, start_ns: int) -> None:
        scene = greenhouse_scene(mode.width_px, mode.height_px)
        super().__init__("The greenhouse camera", mode, scene=scene, sound=ambience_at, start_ns=start_ns)
