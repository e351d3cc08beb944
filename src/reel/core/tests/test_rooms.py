"""What core must not know: what simulates, the demo's products, threads and sockets in the media room."""

import re
import unittest
from pathlib import Path

CORE = Path(__file__).parents[1]
SIMULATED = re.compile(
    r"stand-?ins?\b|fernhollow|moss|leafkey|pollen|canopy|opening day|potting"
    r"|fennel|teasel|burdock|yarrow|mallow|sorrel|comfrey",
    re.IGNORECASE,
)
WAITS = re.compile(r"^\s*(?:import|from) (?:threading|socket|queue|asyncio|concurrent|multiprocessing)\b", re.MULTILINE)


class RoomTests(unittest.TestCase):
    def found(self, pattern, folder):
        files = [path for path in folder.rglob("*.py") if "tests" not in path.parts]
        self.assertGreater(len(files), 9)
        return [(path.name, match) for path in files for match in pattern.findall(path.read_text())]

    def test_core_knows_no_stand_in_and_no_product_of_the_demo(self):
        self.assertEqual(self.found(SIMULATED, CORE), [])

    def test_media_has_no_thread_and_no_socket(self):
        self.assertEqual(self.found(WAITS, CORE / "media"), [])
