"""Pages for what went wrong: they say it, and ask nobody."""

from unittest.mock import patch

from django.test import TestCase

from reel.core.errors import BadValueError
from reel.recorder.client import Client
from reel.web.takes.tests.home import HomeMixin


class RefusalTests(HomeMixin, TestCase):
    def test_a_status_that_can_not_be_read_breaks_no_page(self):
        with patch.object(Client, "ask", side_effect=BadValueError("Status", "null", "it is no number")):
            self.assertEqual(self.client.get("/rigs/").status_code, 200)

    def test_the_page_of_an_error_asks_nobody(self):
        self.client.raise_request_exception = False
        with patch.object(Client, "ask", side_effect=ZeroDivisionError("planted")) as asked:
            answer = self.client.get("/rigs/")
        self.assertContains(answer, "Reel failed at this", status_code=500)
        self.assertEqual(asked.call_count, 1, "by the page that failed")

    def test_what_is_not_there_is_said_in_a_page_and_to_htmx_in_a_sentence(self):
        self.assertContains(self.client.get("/nowhere/"), "<title>Not here", status_code=404)
        answer = self.client.get("/nowhere/", headers={"HX-Request": "true"})
        self.assertEqual(answer["HX-Retarget"], "#notice")
        self.assertNotContains(answer, "<html", status_code=404)
