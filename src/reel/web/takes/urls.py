"""Addresses of takes."""

from django.urls import path

from reel.web.takes import views

app_name = "takes"
urlpatterns = [
    path("", views.index, name="index"),
    path("<number:take_id>/", views.take, name="take"),
    path("<number:take_id>/rename/", views.rename, name="rename"),
    path("<number:take_id>/delete/", views.delete, name="delete"),
    path("<number:take_id>/prove/", views.prove_again, name="prove"),
    path("<number:take_id>/video/", views.video, name="video"),
    path("<number:take_id>/poster/", views.poster, name="poster"),
]
