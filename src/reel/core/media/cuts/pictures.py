"""The pictures of a finish that encodes anew: of fields, at another speed and rate, framed and adjusted."""

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import av.filter

from reel.core.file import Container
from reel.core.finish import Fields, Finish, FinishPlan, Pace, PictureFinish, Source, Stretch, TickRange
from reel.core.finish.picture import PER_TICK
from reel.core.media.adjusting import Adjuster
from reel.core.media.cuts.material import Files, Material
from reel.core.media.cuts.reading import opened
from reel.core.media.errors import MediaError
from reel.core.media.fields import bwdif_step, planar_step
from reel.core.media.framing import MATRIX_CODES, RANGE_CODES, Framer
from reel.core.media.picture import POSTER_WIDTH_PX, JpegEncoder
from reel.core.media.planes import luma_of
from reel.core.media.scope import waveform_png
from reel.core.media.upright import Upright
from reel.core.signal import Matrix, Mode, Range, Signal

# So many frames before one and behind it are enough for what is made of fields.
_AROUND = 6

Placed = Iterator[tuple[int, av.VideoFrame]]


def made_frames(material: Material, coded: Signal) -> Placed:
    """Return the frames of what is made, coded as an encoder is given them, each with its tick."""
    picture, pace = material.plan.finish.picture, material.plan.pace
    assert pace is not None, "a plan that encodes anew has one"
    framer, adjuster = Framer(coded, picture.piece), Adjuster(picture, coded)
    shown: av.VideoFrame | None = None
    made: av.VideoFrame | None = None
    for tick, frame, aspect in _paced(material, picture, pace):
        if frame is not shown or made is None:
            shown, made = frame, adjuster.apply(framer.apply(frame, aspect))
        yield tick, made


def frame_at(
    path: Path, source: Source, picture: PictureFinish, tick: int, matrix: Matrix, value_range: Range
) -> av.VideoFrame:
    """Return the frame of a file at a tick, with what becomes of its pixels, in a matrix and a range.

    Frames beside it are looked at where its fields are made into pictures. Raises MediaError.
    """
    assert source.packets is not None, "what has no picture has no ticks"
    index, asked, stream = source.packets, replace(picture, speed=Fraction(1), rate=None), source.pictures[0]
    kept = TickRange(max(0, tick - _AROUND), min(index.length, tick + _AROUND + 1))
    stretch = Stretch(place=0, kept=kept, made=0, pieces=index.pieces(kept), is_cut_in=False, is_cut_out=False)
    width_px, height_px = asked.size_of(stream.width_px, stream.height_px, stream.aspect)
    mode = Mode(width_px=width_px // 2 * 2, height_px=height_px // 2 * 2, rate=index.rate)
    finish = Finish(container=Container.MKV, picture=asked)
    pace = replace(asked.pace(index.rate), fills=not index.is_fixed)
    plan = FinishPlan(finish=finish, streams=(), stretches=(stretch,), frame=mode, pace=pace)
    coded = Signal(mode=mode, pixels="yuv420p", matrix=matrix, range=value_range)
    wanted, found = (tick - kept.first) * PER_TICK[asked.fields], None
    with opened(path) as reader:
        material = Material(Files(paths=[path], sources=[source]), plan, [reader])
        for at, frame in made_frames(material, coded):
            found = frame
            if at >= wanted:
                break
    if found is None:
        raise MediaError(path, f"has no picture at its frame {tick}")
    return found


def still_of(path: Path, source: Source, picture: PictureFinish, tick: int) -> bytes:
    """Return the frame of a file at a tick, with what becomes of its pixels, as a JPEG; raises MediaError."""
    frame = frame_at(path, source, picture, tick, Matrix.BT709, Range.LIMITED)
    return JpegEncoder(POSTER_WIDTH_PX).encode(frame)


def wave_of(path: Path, source: Source, picture: PictureFinish, tick: int) -> bytes:
    """Return the waveform of that frame as a PNG, in the matrix and range that it has; raises MediaError."""
    stream = source.pictures[0]
    matrix, value_range = picture.matrix or stream.matrix, picture.range or stream.range
    return waveform_png(luma_of(frame_at(path, source, picture, tick, matrix, value_range)))


def _paced(material: Material, picture: PictureFinish, pace: Pace) -> Iterator[tuple[int, av.VideoFrame, Fraction]]:
    """Return pictures on the ticks of what is made, with the shape of their pixels: one is repeated until the next is
    due, and dropped where the next is due as soon."""
    tick, ticks, before = 0, material.plan.ticks, None
    for at, frame, aspect in _all(material, picture, pace):
        if pace.shows_each:
            yield at, frame, aspect
            continue
        before = before or (frame, aspect)
        while tick < ticks and tick * pace.step < at:
            yield tick, *before
            tick += 1
        before = frame, aspect
    while before is not None and tick < ticks and not pace.shows_each:
        yield tick, *before
        tick += 1


def _all(material: Material, picture: PictureFinish, pace: Pace) -> Iterator[tuple[int, av.VideoFrame, Fraction]]:
    """Return the pictures of all stretches, counted through, with the shape of their pixels."""
    for one in material.plan.stretches:
        source, begin = material.sources[one.place].pictures[0], int(one.made * pace.per_tick)
        upright, is_kept = Upright(), material.plan.finish.keeps_frames
        for at, frame in _of_fields(_tagged(material, one, picture), picture):
            if is_kept:
                yield begin + at, frame, Fraction(1)
            else:
                yield begin + at, upright.apply(frame, source.turned_deg), source.aspect


def _tagged(material: Material, one: Stretch, picture: PictureFinish) -> Placed:
    """Return the frames of a stretch with their ticks in it, tagged as they really are.

    Where ticks are filled, it begins with the one that is shown as it begins.
    """
    kept, pace = one.kept, material.plan.pace
    if pace is not None and pace.fills:
        kept = TickRange(material.indices[one.place].shown_at(kept.first), kept.end)
    for tick, frame in material.picture(one.place).placed_frames(kept):
        if picture.matrix is not None:
            frame.colorspace = MATRIX_CODES[picture.matrix]
        if picture.range is not None:
            frame.color_range = RANGE_CODES[picture.range]
        yield max(0, tick - one.kept.first), frame


def _of_fields(frames: Placed, picture: PictureFinish) -> Placed:
    """Return what is made of fields, counted as pictures; the frames as they are where nothing is.

    The filters look at the frames beside one: they begin anew where one is missing. What they give follows what they
    were given without a gap, so that it is counted; their own stamps say nothing of a frame that stands alone.
    """
    if picture.fields is Fields.AS_THEY_ARE:
        yield from frames
        return
    graph, before, at = None, -1, 0
    for tick, frame in frames:
        if graph is None or (tick != before + 1 and picture.fields is not Fields.FILM):
            for made in _drained(graph):
                yield at, made
                at += 1
            graph, at = _graph(frame, picture), int(tick * PER_TICK[picture.fields])
        frame.pts, frame.time_base = tick, Fraction(1)
        graph.push(frame)
        for made in _pulled(graph):
            yield at, made
            at += 1
        before = tick
    for made in _drained(graph):
        yield at, made
        at += 1


def _drained(graph: av.filter.Graph | None) -> Iterator[av.VideoFrame]:
    if graph is not None:
        graph.push(None)
        yield from _pulled(graph)


def _pulled(graph: av.filter.Graph) -> Iterator[av.VideoFrame]:
    """Return what a graph has ready."""
    while True:
        try:
            yield graph.vpull()
        except (BlockingIOError, EOFError):
            return


def _graph(frame: av.VideoFrame, picture: PictureFinish) -> av.filter.Graph:
    """Return what makes pictures of the fields of frames like one."""
    graph = av.filter.Graph()
    graph.threads = 1
    pixels = frame.format.name
    # a tick is a second here; decimate asks for a rate
    form = f"video_size={frame.width}x{frame.height}:pix_fmt={pixels}:time_base=1:frame_rate=1"
    steps = [graph.add("buffer", form), planar_step(graph, pixels)]
    if picture.fields is Fields.FILM:
        order = {None: "auto", True: "tff", False: "bff"}[picture.top_first]
        steps.append(graph.add("fieldmatch", f"order={order}:combmatch=full"))
        steps += [bwdif_step(graph, each=False, top_first=picture.top_first, only_combed=True), graph.add("decimate")]
    else:
        steps.append(bwdif_step(graph, each=picture.fields is Fields.EACH, top_first=picture.top_first))
    graph.link_nodes(*steps, graph.add("buffersink")).configure()
    return graph
