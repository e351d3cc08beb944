"""The app of takes, which does the jobs of its kind."""

from django.apps import AppConfig


class TakesConfig(AppConfig):
    """Registers proving and repairing."""

    name = "reel.web.takes"

    def ready(self) -> None:
        """Say what does the jobs of each kind."""
        from reel.web.jobs.running import KINDS
        from reel.web.takes.models import PROVE, RESCUE
        from reel.web.takes.proving import prove, rescue_part

        KINDS[PROVE] = prove
        KINDS[RESCUE] = rescue_part
