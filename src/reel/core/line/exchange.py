"""A rig as a file: JSON with a version, written for other machines and read back with care. See docs/rig-file.md."""

import json
import re
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, fields, is_dataclass
from types import MappingProxyType
from typing import Any, get_args

from reel.core.errors import BadValueError, ReelError
from reel.core.line.rig import RigSetup
from reel.core.wire import Variant, from_plain, to_plain

KIND, VERSION = "reel-rig", 7
MAX_BYTES = 100_000
_PLACE = re.compile(r" - at `\$([\w.\[\]]*)`")


class BadRigFileError(ReelError, ValueError):
    """Raised when a file is no rig. `line` is the line that is wrong, counted from 1, and `reason` says why."""

    def __init__(self, line: int, reason: str) -> None:
        self.line, self.reason = line, reason
        super().__init__(f"The rig file can't be read, line {line}: {reason.rstrip('.')}. Nothing was changed.")


@dataclass(frozen=True, slots=True, kw_only=True)
class RigFile:
    """What a rig file holds; `parts` are those that belong to other rooms, by their keys."""

    name: str
    setup: RigSetup
    parts: dict[str, Any]


# Make the content of a file of one version that of the next; raises BadValueError.
Older = Mapping[int, Callable[[dict[str, Any]], dict[str, Any]]]


def write_rig(name: str, setup: RigSetup, parts: Mapping[str, object] = MappingProxyType({})) -> bytes:
    """Return a rig as the content of a file: indented JSON in UTF-8. `parts` are added as they are."""
    content = {"kind": KIND, "version": VERSION, "name": name, "setup": to_plain(setup), **parts}
    return (json.dumps(content, indent=2, ensure_ascii=False) + "\n").encode()


def read_rig(data: bytes, *, older: Older = MappingProxyType({}), parts: Collection[str] = ()) -> RigFile:
    """Read a rig file, also of an older version; raises BadRigFileError with the line and the reason.

    `parts` are the keys that may stand beside the setup; what stands there is not looked at.
    """
    if len(data) > MAX_BYTES:
        raise BadRigFileError(1, f"it has {len(data)} bytes, and a rig file has at most {MAX_BYTES}")
    text = data.decode("utf-8", errors="replace")
    content = _brought_up(text, _parsed(text), older)
    name = content.get("name")
    if not isinstance(name, str) or not name.strip():
        raise BadRigFileError(_line_of(text, ["name"]), "it needs a name")
    for key in content:
        if key not in ("kind", "version", "name", "setup", *parts):
            raise BadRigFileError(_line_of(text, [key]), f"“{key[:40]}” is not part of a rig file")
    _refuse_unknown(text, content.get("setup"), RigSetup, ["setup"])
    try:
        setup = from_plain(content.get("setup"), RigSetup)
    except BadValueError as error:
        raise BadRigFileError(_line_of(text, ["setup", *_place(error.limit)]), _reason(error)) from error
    return RigFile(name=name, setup=setup, parts={key: content[key] for key in parts if key in content})


def _brought_up(text: str, content: Any, older: Older) -> dict[str, Any]:
    """Check what a file is, and bring it to this version."""
    if not isinstance(content, dict) or content.get("kind") != KIND:
        raise BadRigFileError(1, f'it does not say "kind": "{KIND}"')
    version = content.get("version")
    while version != VERSION:
        if type(version) is not int or version not in older:
            raise BadRigFileError(
                _line_of(text, ["version"]), f"it has version {version}, and this Reel reads {VERSION}"
            )
        try:
            content = dict(older[version](content))
        except BadValueError as error:
            raise BadRigFileError(_line_of(text, [error.thing]), str(error)) from error
        version += 1
    return dict(content)


def _parsed(text: str) -> Any:
    try:
        return json.loads(text)
    except json.JSONDecodeError as error:
        raise BadRigFileError(error.lineno, f"it is no JSON ({error.msg})") from error
    except ValueError as error:  # a number of thousands of digits
        raise BadRigFileError(1, f"it is no JSON that can be read ({str(error).partition(';')[0]})") from error
    except RecursionError as error:
        raise BadRigFileError(1, "it is nested too deeply") from error


def _refuse_unknown(text: str, value: object, kind: object, place: list[str]) -> None:
    """Refuse a key that no rig has, wherever it stands: a misspelt one would be passed over in silence."""
    for part in get_args(kind):  # a choice of kinds, or a row of them
        if isinstance(value, list):
            for number, item in enumerate(value):
                _refuse_unknown(text, item, part, [*place, str(number)])
        else:
            _refuse_unknown(text, value, part, place)
    if isinstance(kind, type) and issubclass(kind, Variant):
        try:
            kind = kind.variant_of(value)
        except ValueError:
            return  # reading it says what is wrong
    if not isinstance(value, dict) or not isinstance(kind, type) or not is_dataclass(kind):
        return
    known = {field.name: field.type for field in fields(kind)}
    for key, part in value.items():
        if key not in known:
            raise BadRigFileError(_line_of(text, [*place, key]), f"“{key[:40]}” is not part of a rig")
        _refuse_unknown(text, part, known[key], [*place, key])


def _reason(error: BadValueError) -> str:
    return error.limit.partition(" - at `$")[0]


def _place(limit: str) -> list[str]:
    """Return the place that is wrong: what stands in a variant has its own place first, then that of the variant."""
    places = reversed(_PLACE.findall(limit))
    return [part for place in places for part in re.split(r"[.\[\]]+", place) if part]


def _line_of(text: str, place: list[str]) -> int:
    """Return the line of a place, keys and list numbers as msgspec has them; that of the nearest one that is there.

    Number n of a list is found at the (n+1)th key of the name that follows it, since each item has that key; or, at
    the end of a place, where the (n+1)th item begins.
    """
    position, times = 0, 1
    for part in place:
        if part.isdecimal():
            times = int(part) + 1
        else:
            position, times = _find(text, rf'"{re.escape(part)}"\s*:', position, times), 1
    if place[-1].isdecimal():
        position = _find(text, r"\{", position, times)
    return text.count("\n", 0, position) + 1


def _find(text: str, pattern: str, position: int, times: int) -> int:
    """Return where a pattern is found for the nth time from a position on; the last time, where it is found less."""
    for found in list(re.compile(pattern).finditer(text, position))[:times]:
        position = found.start() + 1
    return position
