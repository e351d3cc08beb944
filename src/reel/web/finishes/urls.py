"""Addresses of finishes."""

from django.urls import path

from reel.web.finishes import speak_views, step_views, views

app_name = "finishes"
urlpatterns = [
    path("dock/", views.dock, name="dock"),
    path("several/", views.several, name="several"),
    path("kept/<number:kept_id>/forget/", views.forget, name="forget"),
    path("<number:take_id>/do/keep/", views.keep, name="keep"),
    path("<number:take_id>/do/picture/", views.picture_do, name="picture-do"),
    path("<number:take_id>/looks/", views.looks, name="looks"),
    path("<number:take_id>/do/sound/", views.sound, name="sound"),
    path("<number:take_id>/do/claps/", views.claps, name="claps"),
    path("<number:take_id>/do/file/", views.file, name="file"),
    path("<number:take_id>/do/make/", views.make, name="make"),
    path("<number:take_id>/do/keep-as/", views.keep_as, name="keep-as"),
    path("<number:take_id>/<slug:name>/history/", views.history, name="history"),
    path("<number:take_id>/picture/<number:tick>/", views.picture, name="picture"),
    path("<number:take_id>/step/<number:track>/", step_views.page, name="step"),
    path("<number:take_id>/step/<number:track>/near/", step_views.near, name="near"),
    path("<number:take_id>/step/<number:track>/slide/", views.slide, name="slide"),
    path("<number:take_id>/speak/", speak_views.page, name="speak"),
    path("<number:take_id>/speak/late/", speak_views.late, name="speak-late"),
    path("<number:take_id>/speak/begin/", speak_views.begin, name="speak-begin"),
    path("<number:take_id>/speak/choose/", speak_views.choose, name="speak-choose"),
    path("<number:take_id>/speak/<number:try_id>/piece/", speak_views.piece, name="speak-piece"),
    path("<number:take_id>/speak/<number:try_id>/end/", speak_views.end, name="speak-end"),
    path("<number:take_id>/speak/<number:try_id>/delete/", speak_views.delete, name="speak-delete"),
    path("<number:take_id>/speak/<number:try_id>/sound/", speak_views.sound, name="speak-sound"),
    path("<number:take_id>/picture/<number:tick>/<slug:which>/", views.compared, name="compared"),
    path("<number:take_id>/<slug:name>/", views.stage, name="stage"),
]
