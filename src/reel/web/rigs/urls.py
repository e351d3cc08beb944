"""Addresses of rigs."""

from django.urls import path

from reel.web.rigs import views

app_name = "rigs"
urlpatterns = [
    path("", views.index, name="index"),
    path("new/", views.new, name="new"),
    path("<int:rig_id>/", views.stage, name="rig"),
    path("<int:rig_id>/cost/", views.cost, name="cost"),
    path("<int:rig_id>/line/<slug:stage>/", views.line, name="line"),
    path("<int:rig_id>/<slug:stage>/", views.stage, name="stage"),
]
