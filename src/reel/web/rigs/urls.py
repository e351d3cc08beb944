"""Addresses of rigs."""

from django.urls import path

from reel.web.rigs import holding, views
from reel.web.rigs.serial import serial

app_name = "rigs"
urlpatterns = [
    path("", views.index, name="index"),
    path("new/", views.new, name="new"),
    path("proposal/", views.proposal, name="proposal"),
    path("import/", views.import_rig, name="import"),
    path("<number:rig_id>/allow/", serial(views.allow), name="allow"),
    path("<number:rig_id>/export/", views.export, name="export"),
    path("<number:rig_id>/duplicate/", serial(views.duplicate), name="duplicate"),
    path("<number:rig_id>/rename/", serial(views.rename), name="rename"),
    path("shelves/", holding.shelves, name="shelves"),
    path("hold/<number:take_id>/", holding.hold_against, name="hold"),
    path("<number:rig_id>/delete/", serial(views.delete), name="delete"),
]
