"""The app of a rig's stages: their pages, and what is changed on them."""

from django.apps import AppConfig


class StagesConfig(AppConfig):
    """Says where it is."""

    name = "reel.web.stages"
