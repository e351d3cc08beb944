"""The app of rigs, which does the jobs of its kind."""

from django.apps import AppConfig


class RigsConfig(AppConfig):
    """Registers the bench and estimates."""

    name = "reel.web.rigs"

    def ready(self) -> None:
        """Say what does the jobs of each kind."""
        from reel.web.jobs.running import KINDS
        from reel.web.rigs.benching import BENCH, bench
        from reel.web.rigs.estimating import ESTIMATE, estimate

        KINDS[BENCH] = bench
        KINDS[ESTIMATE] = estimate
