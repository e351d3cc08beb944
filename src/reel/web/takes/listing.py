"""The list of takes: which are asked for, in what order, how many there are of each sort, and what a day comes to."""

import datetime
from dataclasses import dataclass, field, replace
from typing import Any
from urllib.parse import urlencode

from django.db.models import Count, Prefetch, Q, QuerySet, Sum
from django.http import QueryDict

from reel.web.takes.models import Part, ProofState, Take, TakeOrigin, TakeState
from reel.web.takes.summing import with_words
from reel.web.ui.typed import number_of

PAGE = 24
MAX_WORDS, MAX_TERMS = 120, 8
# `__in`, since a plain boolean is no comparison in SQLite, and finds no index
WHICH: dict[str, tuple[str, Q]] = {
    "": ("all", Q()),
    "good": ("good", Q(is_good__in=[True])),
    "differing": ("not as asked", Q(proof_state__in=[ProofState.DIFFERS, ProofState.FAILED])),
    "interrupted": ("interrupted", Q(state=TakeState.INTERRUPTED)),
    "trials": ("trials", Q(is_trial__in=[True])),
    "brought": ("brought in", Q(origin__in=[TakeOrigin.BROUGHT_IN, TakeOrigin.BY_DEVICE])),
    "missing": ("missing", Q(is_missing__in=[True])),
    "bin": ("bin", Q()),
}
SORTS: dict[str, tuple[str, tuple[str, ...]]] = {
    "": ("newest first", ("-started_at", "-id")),
    "oldest": ("oldest first", ("started_at", "id")),
    "longest": ("longest first", ("-length_ms", "-id")),
    "largest": ("largest first", ("-size_bytes", "-id")),
    "name": ("by name", ("name", "-id")),
}
BIN_ORDER = ("-binned_at", "-id")
DAY_SORTS = ("", "oldest")


@dataclass(frozen=True, slots=True, kw_only=True)
class Query:
    """What somebody asked of the list. Lengths are in minutes and sizes in megabytes; None where nothing was asked."""

    words: str = ""
    which: str = ""
    sort: str = ""
    page: int = 1
    since: datetime.date | None = None
    until: datetime.date | None = None
    codec: str = ""
    min_minutes: int | None = None
    max_minutes: int | None = None
    min_mb: int | None = None
    max_mb: int | None = None

    @classmethod
    def read(cls, sent: QueryDict) -> "Query":
        """Read what a page sends; what can't be read asks for nothing."""
        return cls(
            words=" ".join(sent.get("words", "")[:MAX_WORDS].split()[:MAX_TERMS]),
            which=sent.get("which", "") if sent.get("which") in WHICH else "",
            sort=sent.get("sort", "") if sent.get("sort") in SORTS else "",
            page=max(1, min(number_of(sent.get("page", "")) or 1, 10**6)),
            since=_day(sent.get("since", "")),
            until=_day(sent.get("until", "")),
            codec=sent.get("codec", "")[:40],
            **{name: _whole(sent.get(name, "")) for name in ("min_minutes", "max_minutes", "min_mb", "max_mb")},
        )

    def link(self, **changes: object) -> str:
        """Return the address's query for this with some changes, on its first page unless that is among them."""
        changed = replace(self, **{"page": 1, **changes})  # type: ignore[arg-type]  # checked where it is read
        said = {name: getattr(changed, name) for name in self.__slots__}
        usual = {"page": 1}
        return urlencode({name: one for name, one in said.items() if one not in ("", None, usual.get(name))})

    @property
    def has_more(self) -> bool:
        """Whether it asks for more than words and a sort."""
        asked = (self.since, self.until, self.min_minutes, self.max_minutes, self.min_mb, self.max_mb)
        return bool(self.codec) or any(one is not None for one in asked)

    def takes(self, which: str | None = None, *, in_order: bool = False) -> "QuerySet[Take]":
        """Return the takes that it asks for, in no order yet; `which` in place of its own. See with_words."""
        return self._found(in_order=in_order).filter(_is(self.which if which is None else which))

    def counts(self) -> tuple[dict[str, int], "Sums"]:
        """Return how many takes there are of each sort, and what those asked for come to.

        Words are looked for once, for all sorts; without them each sort is counted from its own index.
        """
        if not self.words:
            sums = _sums(self.takes())
            return {name: sums.takes if name == self.which else self.takes(name).count() for name in WHICH}, sums
        own = _is(self.which)
        wanted = {name or "all": Count("pk", filter=_is(name)) for name in WHICH}
        found = self._found().aggregate(
            size=Sum("size_bytes", filter=own), length=Sum("length_ms", filter=own), **wanted
        )
        counts = {name: found[name or "all"] for name in WHICH}
        sums = Sums(takes=counts[self.which], size_bytes=found["size"] or 0, length_ms=found["length"] or 0)
        return counts, sums

    def _found(self, *, in_order: bool = False) -> "QuerySet[Take]":
        found: QuerySet[Take] = Take.objects.all()
        for name, value in self._bounds().items():
            found = found.filter(**{name: value})
        return with_words(found, self.words, in_order=in_order)

    def _bounds(self) -> dict[str, Any]:
        bounds: dict[str, Any] = {
            "started_at__gte": self.since and _begin_of(self.since),
            "started_at__lt": self.until and _begin_of(self.until + datetime.timedelta(days=1)),
            "codec": self.codec or None,
            "length_ms__gte": self.min_minutes and self.min_minutes * 60_000,
            "length_ms__lte": self.max_minutes and self.max_minutes * 60_000,
            "size_bytes__gte": self.min_mb and self.min_mb * 1_000_000,
            "size_bytes__lte": self.max_mb and self.max_mb * 1_000_000,
        }
        return {name: value for name, value in bounds.items() if value is not None}


@dataclass(frozen=True, slots=True, kw_only=True)
class Sums:
    """How many takes there are, their bytes and milliseconds."""

    takes: int = 0
    size_bytes: int = 0
    length_ms: int = 0

    @property
    def length_s(self) -> float:
        return self.length_ms / 1000


@dataclass(frozen=True, slots=True, kw_only=True)
class Day:
    """A day's takes on the page, under its heading; `day` is None where the list is not sorted by time."""

    day: datetime.date | None
    sums: Sums = field(default_factory=Sums)
    takes: tuple[Take, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class TakeList:
    """A page of the list. `sorts` are (name, label, how many), of `codecs` there are some."""

    query: Query
    days: tuple[Day, ...]
    sums: Sums
    sorts: tuple[tuple[str, str, int], ...]
    codecs: tuple[str, ...]
    pages: int

    @property
    def takes(self) -> tuple[Take, ...]:
        """The takes of the page."""
        return tuple(take for day in self.days for take in day.takes)


def list_takes(query: Query) -> TakeList:
    """Return a page of takes, in a fixed number of queries whose time hardly grows with how many takes there are."""
    asked = query.takes(in_order=True)
    counts, sums = query.counts()
    pages = max(1, -(-sums.takes // PAGE))
    query = replace(query, page=min(query.page, pages))
    order = BIN_ORDER if query.which == "bin" else SORTS[query.sort][1]
    begin = (query.page - 1) * PAGE
    ids = list(asked.order_by(*order).values_list("pk", flat=True)[begin : begin + PAGE])
    by_id = {take.pk: take for take in _rows(ids)}
    rows = [by_id[pk] for pk in ids if pk in by_id]
    codecs = Take.objects.order_by("codec").values_list("codec", flat=True).distinct()
    return TakeList(
        query=query,
        days=_days(query, asked, rows),
        sums=sums,
        sorts=tuple((name, label, counts[name]) for name, (label, _) in WHICH.items()),
        codecs=tuple(codec for codec in codecs if codec),
        pages=pages,
    )


def _is(which: str) -> Q:
    return Q(binned_at__isnull=which != "bin") & WHICH[which][1]


def _rows(ids: list[int]) -> "QuerySet[Take]":
    """Return takes with what a row shows: neither what was asked nor what was proved, which is large."""
    parts = Part.objects.defer("proof", "counts", "found")
    found = Take.objects.defer("asked", "counts").filter(pk__in=ids).annotate(marked=Count("marks"))
    return found.prefetch_related(Prefetch("parts", parts))


def _sums(takes: "QuerySet[Take]") -> Sums:
    found = takes.aggregate(takes=Count("pk"), size=Sum("size_bytes"), length=Sum("length_ms"))
    return Sums(takes=found["takes"], size_bytes=found["size"] or 0, length_ms=found["length"] or 0)


def _days(query: Query, asked: "QuerySet[Take]", rows: list[Take]) -> tuple[Day, ...]:
    if query.sort not in DAY_SORTS or query.which == "bin":
        return (Day(day=None, takes=tuple(rows)),) if rows else ()
    by_day: dict[datetime.date, list[Take]] = {}
    for take in rows:
        by_day.setdefault(take.started_at.astimezone().date(), []).append(take)
    sums = _sums_of(asked, list(by_day))
    return tuple(Day(day=day, sums=sums[day], takes=tuple(takes)) for day, takes in by_day.items())


def _sums_of(asked: "QuerySet[Take]", days: list[datetime.date]) -> dict[datetime.date, Sums]:
    """Return what some days come to, in one query: a day of the machine's own zone is no day of the database's."""
    if not days:
        return {}
    spans = {day: (_begin_of(day), _begin_of(day + datetime.timedelta(days=1))) for day in days}
    within = asked.filter(started_at__gte=min(spans.values())[0], started_at__lt=max(spans.values())[1])
    wanted: dict[str, Any] = {}
    for number, (begin, end) in enumerate(spans.values()):
        own = Q(started_at__gte=begin, started_at__lt=end)
        wanted |= {
            f"takes{number}": Count("pk", filter=own),
            f"size{number}": Sum("size_bytes", filter=own),
            f"length{number}": Sum("length_ms", filter=own),
        }
    found = within.aggregate(**wanted)
    return {
        day: Sums(
            takes=found[f"takes{number}"],
            size_bytes=found[f"size{number}"] or 0,
            length_ms=found[f"length{number}"] or 0,
        )
        for number, day in enumerate(days)
    }


def _begin_of(day: datetime.date) -> datetime.datetime:
    """Return the instant at which a day begins in the machine's own zone."""
    return datetime.datetime.combine(day, datetime.time()).astimezone()


def _day(typed: str) -> datetime.date | None:
    try:
        return datetime.date.fromisoformat(typed) if len(typed) == 10 else None
    except ValueError:
        return None


def _whole(typed: str) -> int | None:
    return int(typed) if typed.isascii() and typed.isdecimal() and len(typed) <= 7 else None
