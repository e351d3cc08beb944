"""The app of takes, which does the jobs of its kind."""

from django.apps import AppConfig


class TakesConfig(AppConfig):
    """Registers proving."""

    name = "reel.web.takes"

    def ready(self) -> None:
        """Say what does the jobs of the kind."""
        from reel.web.jobs.running import KINDS
        from reel.web.takes.models import PROVE
        from reel.web.takes.proving import prove

        KINDS[PROVE] = prove
