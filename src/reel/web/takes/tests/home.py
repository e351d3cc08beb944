"""A home of its own for each test."""

import tempfile
from pathlib import Path

from reel.options import Home


class HomeMixin:
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        home = Home(Path(folder.name))
        home.make()
        self.enterContext(self.settings(HOME=home))
