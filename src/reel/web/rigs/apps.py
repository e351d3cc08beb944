"""The app of rigs, which does the jobs of its kind."""

from django.apps import AppConfig


class RigsConfig(AppConfig):
    """Registers the bench."""

    name = "reel.web.rigs"

    def ready(self) -> None:
        """Say what does the jobs of the kind."""
        from reel.web.jobs.running import KINDS
        from reel.web.rigs.benching import BENCH, bench

        KINDS[BENCH] = bench
