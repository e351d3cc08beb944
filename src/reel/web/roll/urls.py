"""Addresses of rolling."""

from django.urls import path

from reel.web.roll import views

app_name = "roll"
urlpatterns = [
    path("start/<number:rig_id>/", views.start, name="start"),
    path("try/<number:rig_id>/", views.attempt, name="try"),
    path("small/<number:rig_id>/", views.small, name="small"),
    path("hold/", views.hold, name="hold"),
    path("mark/", views.mark, name="mark"),
    path("cut/", views.cut, name="cut"),
    path("band/", views.band, name="band"),
    path("fields/<number:rig_id>/", views.test_fields, name="test-fields"),
]
