"""The app of takes, which does the jobs of its kind."""

from django.apps import AppConfig


class TakesConfig(AppConfig):
    """Registers proving, repairing and making files of takes."""

    name = "reel.web.takes"

    def ready(self) -> None:
        """Load what does the jobs of its kinds."""
        from reel.web.takes import bringing, listening, making, moving, proving, rewrapping, verifying, watching  # noqa: F401 - each registers itself
