"""Addresses of shelves and of hardware encoders."""

from django.urls import path

from reel.web.machine import views

app_name = "machine"
urlpatterns = [
    path("", views.index, name="index"),
    path("hardware/", views.hardware, name="hardware"),
    path("<number:place_id>/measure/", views.measure, name="measure"),
    path("<number:place_id>/remove/", views.remove, name="remove"),
]
