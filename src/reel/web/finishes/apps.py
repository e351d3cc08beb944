"""The app of finishes, which does the jobs of its kinds."""

from django.apps import AppConfig


class FinishesConfig(AppConfig):
    """Registers reading what is to be cut, finding claps, and making finishes."""

    name = "reel.web.finishes"

    def ready(self) -> None:
        """Load what does the jobs of its kinds."""
        from reel.web.finishes import claps, making, reading  # noqa: F401 - each registers itself
