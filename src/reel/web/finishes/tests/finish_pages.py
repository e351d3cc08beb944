"""A take whose finish is set up on its pages, as the tests do it."""

from django.conf import settings
from django.test import TestCase
from django.urls import reverse

from reel.core.measure import Counts
from reel.web.finishes.editing import opened
from reel.web.jobs.running import run_waiting
from reel.web.takes.models import Take
from reel.web.takes.tests.home import HomeMixin, make_take


class FinishTestCase(HomeMixin, TestCase):
    """A take of 90 ticks, and what a page asks of its finish."""

    def setUp(self):
        super().setUp()
        self.take = make_take("stone", Counts(ticks=90))
        self.shelf = settings.HOME.shelf
        self.before = sorted(path.name for path in self.shelf.iterdir())

    def page(self, stage="keep", take=None):
        return self.client.get(reverse("finishes:stage", args=[(take or self.take).pk, stage]))

    def open(self):
        """Open the finish, and have the worker read what it asks for."""
        self.assertContains(self.page(), "packets of stone are being read")
        run_waiting()
        self.assertContains(self.page(), "What hangs below is left out")

    def do(self, doing, name="keep", seen=None, **typed):
        fields = {"do": doing, "seen": self.now().seen if seen is None else seen, **typed}
        return self.client.post(reverse(f"finishes:{name}", args=[self.take.pk]), fields)

    def now(self):
        return opened(Take.objects.with_parts().get(pk=self.take.pk))

    def ranges(self):
        return [(one.first, one.end) for one in self.now().keep.ranges]
