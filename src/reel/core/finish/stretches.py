"""What is kept of the files of a take, one behind the other: ranges of the take, laid over its files."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import accumulate, pairwise

from reel.core.errors import BadValueError
from reel.core.finish.keep import Edges, Keep, TickRange, together
from reel.core.finish.packets import PacketIndex, Pieces
from reel.core.finish.values import Source


@dataclass(frozen=True, slots=True, kw_only=True)
class Stretch:
    """Ticks of one file, `place` counted from 0, that stand in what is made from its tick `made` on.

    `is_cut_in` and `is_cut_out` say that the take went on before it, and behind it; else it is where a file of the take
    begins or ends.
    """

    place: int
    kept: TickRange
    made: int
    pieces: Pieces
    is_cut_in: bool
    is_cut_out: bool


def laid_over(
    keep: Keep, sources: Sequence[Source], *, joins: bool, fills: bool = False
) -> tuple[Keep, tuple[Stretch, ...]]:
    """Lay what is kept over the files of a take: what is kept once its edges were moved, and the stretches of that.

    `joins` says that frames which are encoded anew join packets that go through, `fills` that a stretch without a
    picture shows the one before it. Raises BadValueError where that can't be made of the files.
    """
    indices = _indices(sources, keep, joins=joins)
    begins = [0, *accumulate(index.length for index in indices)]
    ranges = together(keep.ranges)  # where one was only split nothing is cut
    if keep.ranges[-1].end > begins[-1]:
        raise BadValueError("Range", f"to {keep.ranges[-1].end}", f"the take ends at {begins[-1]}")
    found: list[Stretch] = []
    kept_now = replace(keep, ranges=ranges if keep.edges is Edges.EXACT else _moved(ranges, indices, begins))
    for one in kept_now.ranges:
        for place, (begin, end) in enumerate(pairwise(begins)):
            first, last = max(one.first, begin), min(one.end, end)
            if first < last:
                kept = TickRange(first - begin, last - begin)
                pieces = indices[place].pieces(kept)
                if not (pieces.frames or fills):
                    continue
                made = found[-1].made + found[-1].kept.length if found else 0
                cuts = {"is_cut_in": first == one.first and first > 0, "is_cut_out": last == one.end < begins[-1]}
                found.append(Stretch(place=place, kept=kept, made=made, pieces=pieces, **cuts))
    if not found:
        raise BadValueError("Keep", "nothing", "there is no picture in what is kept")
    if joins and any(one.pieces.encoded and not sources[one.place].is_joinable for one in found):
        codec = sources[0].pictures[0].codec
        raise BadValueError("Edge", "between keyframes", f"{codec} can't be joined there: move the edges to keyframes")
    return kept_now, tuple(found)


def _indices(sources: Sequence[Source], keep: Keep, *, joins: bool) -> list[PacketIndex]:
    """Return the packets of the files; raises BadValueError where they are not of one kind, which packets that are
    joined have to be."""
    found = []
    for number, source in enumerate(sources, start=1):
        if source.packets is None or source.packets.rate != keep.rate:
            raise BadValueError("File", number, "it holds no picture that can be cut")
        if not source.packets.keys.any():
            raise BadValueError("File", number, "none of its keyframes stands alone; it can't be cut")
        if joins and _kind(source) != _kind(sources[0]):
            limit = "it is not of the same kind as the first one, and joins it only where all is encoded anew"
            raise BadValueError("File", number, limit)
        found.append(source.packets)
    return found


def _kind(source: Source) -> list[tuple[str, str]]:
    return [(one.codec, one.form) for one in (*source.pictures[:1], *source.sounds)]


def _moved(ranges: Sequence[TickRange], indices: Sequence[PacketIndex], begins: Sequence[int]) -> tuple[TickRange, ...]:
    """Return ranges of a take with their edges moved outwards, in each file, to where nothing is encoded anew."""
    found = []
    for one in ranges:
        for index, (begin, end) in zip(indices, pairwise(begins), strict=True):
            first, last = max(one.first, begin), min(one.end, end)
            if first < last:
                moved = index.moved(TickRange(first - begin, last - begin))
                found.append(TickRange(moved.first + begin, moved.end + begin))
    return together(found)
