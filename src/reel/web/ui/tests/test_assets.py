from django.test import SimpleTestCase

from reel.launch.assets import UI


class AssetsTests(SimpleTestCase):
    def test_what_is_served_was_built_from_the_sources(self):
        for source in (UI / "static_src").iterdir():
            if source.suffix in (".js", ".svg"):
                self.assertEqual(source.read_text(), (UI / "static" / "reel" / source.name).read_text(), source.name)
