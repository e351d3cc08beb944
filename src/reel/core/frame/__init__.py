"""The recorded picture: geometry, pieces, arrangements."""

from reel.core.frame.advice import Advice, Proposal, proposals, scaling
from reel.core.frame.geometry import Area, Placed, cover, fit, turned, with_square_pixels
from reel.core.frame.overlay import Caption, Clock, Face, Font, Image, Lettering, Overlay
from reel.core.frame.piece import Crop, Fit, Piece, Place, Quarter
from reel.core.frame.setup import Arrangement, FrameSetup, Scaler, with_renamed, without_input
from reel.core.frame.sizes import smaller

__all__ = [
    "Advice",
    "Area",
    "Arrangement",
    "Caption",
    "Clock",
    "Crop",
    "Face",
    "Fit",
    "Font",
    "FrameSetup",
    "Image",
    "Lettering",
    "Overlay",
    "Piece",
    "Place",
    "Placed",
    "Proposal",
    "Quarter",
    "Scaler",
    "cover",
    "fit",
    "proposals",
    "scaling",
    "smaller",
    "turned",
    "with_renamed",
    "with_square_pixels",
    "without_input",
]
