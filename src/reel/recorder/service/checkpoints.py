"""How far takes have come, noted twice a second beside the sockets: what a killed recorder can't say any more."""

import json
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from reel.core.signal import NS

EVERY_NS = NS // 2
_NAME = "reached.json"


class Reached:
    """Notes how many seconds long each take is, by its id. A note that can't be written is left out: nothing waits."""

    def __init__(self, run_folder: Path) -> None:
        self._path = run_folder / _NAME
        self._at_ns = 0

    def note(self, lengths_s: Mapping[int, float], now_ns: int) -> None:
        """Write lengths down, at most twice a second."""
        if now_ns - self._at_ns < EVERY_NS:
            return
        self._at_ns = now_ns
        making = self._path.with_suffix(".making")
        with suppress(OSError):
            making.write_text(json.dumps(lengths_s))
            making.replace(self._path)


def read_reached(run_folder: Path) -> dict[int, float]:
    """Return what was noted last; nothing where that can't be read."""
    try:
        found = json.loads((run_folder / _NAME).read_text())
        return {int(take_id): float(length_s) for take_id, length_s in found.items()}
    except (OSError, ValueError, AttributeError, TypeError):
        return {}
