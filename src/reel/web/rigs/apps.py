"""The app of rigs, which does the jobs of its kind."""

from django.apps import AppConfig


class RigsConfig(AppConfig):
    """Registers the bench, estimates, and the takes of the demo."""

    name = "reel.web.rigs"

    def ready(self) -> None:
        """Load what does the jobs of its kinds."""
        from reel.web.rigs import benching, estimating, filling  # noqa: F401 - each registers itself
