"""The recorded picture: geometry and framing."""

from reel.core.frame.geometry import Placed, fit

__all__ = ["Placed", "fit"]
