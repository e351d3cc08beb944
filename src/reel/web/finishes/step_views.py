"""Setting a track in step by hand: the frame on which something strikes, and the sound that belongs to it."""

from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET

from reel.core.finish import TrackFinish
from reel.core.media.waveform import Waveform, waveform
from reel.core.signal import timecode
from reel.web.finishes.editing import Opened, opened
from reel.web.finishes.pages import beside_sound
from reel.web.finishes.views import take_of
from reel.web.takes.proving import path_of
from reel.web.ui.typed import number_of

# So much before and behind a frame is drawn, in so many columns; nearer than half of it a sharp sound belongs to it.
AROUND_S, COLUMNS = Fraction(1, 2), 800
HEIGHT = 90


@dataclass(frozen=True, slots=True, kw_only=True)
class Near:
    """The wave of a track around a frame: its drawing, COLUMNS wide, and where the sharp sounds lie in it.

    `slide_ms` moves the nearest of them to where the frame begins; "" where there is none.
    """

    path: str
    frame_x: float
    frame_width: float
    sharp_x: tuple[float, ...]
    slide_ms: str
    words: str


@require_GET
def page(request: HttpRequest, take_id: int, track: int) -> HttpResponse:
    """Show a file of the take, its first or `?part=`, stepped by frames, above the wave of one of its tracks."""
    now = _now(take_id, track)
    if now is None:
        return redirect("finishes:stage", take_id=take_id, name="sound")
    return render(request, "finishes/step.html", _context(now, track, _place(now, request)))


@require_GET
def near(request: HttpRequest, take_id: int, track: int) -> HttpResponse:
    """Show the wave of a track around the frame that is shown, `?frame=` of the file."""
    now, frame = _now(take_id, track), number_of(request.GET.get("frame", ""))
    if now is None or frame is None:
        raise Http404
    place = _place(now, request)
    near = _near(now, track, place, frame)
    return render(request, "finishes/_near.html", _context(now, track, place) | {"near": near})


def _now(take_id: int, track: int) -> Opened | None:
    """Return the finish of a take that has the track; None until it was read."""
    now = opened(take_of(take_id))
    if now is not None and not 1 <= track <= len(now.sources[0].sounds):
        raise Http404
    return now


def _place(now: Opened, request: HttpRequest) -> int:
    """Return which of the take's own files is asked for, counted from 0."""
    asked = number_of(request.GET.get("part", "")) or 1
    place = next((place for place, one in enumerate(now.take.all_parts) if one.number == asked), None)
    if place is None:
        raise Http404
    return place


def _context(now: Opened, track: int, place: int) -> dict[str, Any]:
    change = next((one for one in now.finish.sound if one.track == track), TrackFinish(track=track))
    return beside_sound(now, place) | {
        "track": track,
        "title": now.sources[0].sounds[track - 1].title or f"Track {track}",
        "slide": f"{float(change.slide_ms):g}" if change.slide_ms else "",
        "columns": COLUMNS,
        "around_ms": float(AROUND_S * 1000),
    }


def _near(now: Opened, track: int, place: int, frame: int) -> Near:
    source, frame_s = now.sources[place], frame / now.rate
    assert source.packets is not None, "what has no picture is not opened"
    if frame >= source.packets.length:
        raise Http404
    start_s = source.packets.start * source.packets.time_base
    index = source.sounds[track - 1].index
    wave = waveform(path_of(now.parts[place]), index, start_s, frame_s - AROUND_S, frame_s + AROUND_S, COLUMNS)
    nearest = min(wave.sharp_s, key=lambda one: abs(one - frame_s), default=None)
    words = "Nothing sharp is heard near this frame."
    if nearest is not None:
        apart_ms = (nearest - float(frame_s)) * 1000
        side = "after" if apart_ms >= 0 else "before"
        words = f"The nearest sharp sound lies {abs(apart_ms):.0f} ms {side} this frame, {timecode(frame_s, now.rate)}."
    return Near(
        path=_path(wave),
        frame_x=COLUMNS / 2,
        frame_width=float(COLUMNS / (2 * AROUND_S) / now.rate),
        sharp_x=tuple(_x(one, frame_s) for one in wave.sharp_s),
        slide_ms=f"{(float(frame_s) - nearest) * 1000:.1f}" if nearest is not None else "",
        words=words,
    )


def _x(second: float, frame_s: Fraction) -> float:
    return round((second - float(frame_s) + float(AROUND_S)) / float(2 * AROUND_S) * COLUMNS, 1)


def _path(wave: Waveform) -> str:
    """Return the wave as an SVG path, as loud as it can be drawn."""
    highest = max(0.001, *wave.high, *(-one for one in wave.low))
    middle, scale = HEIGHT / 2, (HEIGHT / 2 - 2) / highest
    above = " ".join(f"L{x} {middle - value * scale:.1f}" for x, value in enumerate(wave.high))
    below = " ".join(f"L{x} {middle - value * scale + 0.5:.1f}" for x, value in reversed([*enumerate(wave.low)]))
    return f"M0 {middle} {above} {below}Z"
