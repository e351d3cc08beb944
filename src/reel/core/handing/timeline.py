"""Takes as an OpenTimelineIO timeline, which editing programs read."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

import opentimelineio as otio

from reel.core.handing.values import Moment, MomentKind

_COLOURS = {
    MomentKind.MARK: otio.schema.MarkerColor.GREEN,
    MomentKind.LOST: otio.schema.MarkerColor.RED,
    MomentKind.BLACK: otio.schema.MarkerColor.BLACK,
    MomentKind.STILL: otio.schema.MarkerColor.CYAN,
}


@dataclass(frozen=True, slots=True, kw_only=True)
class HandedPart:
    """A file of a take: where it lies as a URL, how many seconds it lasts, and what lies in it."""

    url: str
    length_s: Fraction
    moments: tuple[Moment, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class HandedTake:
    """A take: its parts in their order, its rate, and how many seconds after the first of them all it began."""

    name: str
    rate: Fraction
    parts: tuple[HandedPart, ...]
    begins_s: Fraction = Fraction(0)


def timeline(name: str, takes: Sequence[HandedTake]) -> str:
    """Return takes as a timeline in OpenTimelineIO's JSON: a track each, in step, with a gap before what began later.

    A track's clips are the take's parts, with their moments as markers.
    """
    line = otio.schema.Timeline(name=name)
    for take in takes:
        track = otio.schema.Track(name=take.name, kind=otio.schema.TrackKind.Video)
        if take.begins_s > 0:
            track.append(otio.schema.Gap(duration=_time(take.begins_s, take.rate)))
        for number, part in enumerate(take.parts, start=1):
            called = take.name if len(take.parts) == 1 else f"{take.name}, part {number}"
            track.append(_clip(called, part, take.rate))
        line.tracks.append(track)
    written: str = line.to_json_string()
    return written


def _clip(name: str, part: HandedPart, rate: Fraction) -> otio.schema.Clip:
    whole = otio.opentime.TimeRange(_time(Fraction(0), rate), _time(part.length_s, rate))
    media = otio.schema.ExternalReference(target_url=part.url, available_range=whole)
    clip = otio.schema.Clip(name=name, media_reference=media, source_range=whole)
    for moment in part.moments:
        marked = otio.opentime.TimeRange(_time(moment.at_s, rate), _time(moment.length_s, rate))
        label = moment.label or moment.kind.value
        clip.markers.append(otio.schema.Marker(name=label, marked_range=marked, color=_COLOURS[moment.kind]))
    return clip


def _time(second: Fraction, rate: Fraction) -> otio.opentime.RationalTime:
    """Return a second as a whole number of frames of a rate."""
    return otio.opentime.RationalTime(round(second * rate), float(rate))
