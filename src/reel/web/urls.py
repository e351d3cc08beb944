"""All addresses of Reel."""

from django.urls import include, path
from django.views.generic import RedirectView

import reel.web.ui.converters  # noqa: F401 - makes <number:…> known

urlpatterns = [
    path("", RedirectView.as_view(pattern_name="rigs:index")),
    path("rigs/", include("reel.web.rigs.urls")),
    path("rigs/", include("reel.web.stages.urls")),
    path("roll/", include("reel.web.roll.urls")),
    path("recipes/", include("reel.web.recipes.urls")),
    path("shelves/", include("reel.web.machine.urls")),
    path("takes/", include("reel.web.takes.urls")),
    path("finishes/", include("reel.web.finishes.urls")),
    path("jobs/", include("reel.web.jobs.urls")),
]
handler400 = "reel.web.ui.views.bad_request"
handler404 = "reel.web.ui.views.not_found"
handler500 = "reel.web.ui.views.failed"
