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
    path("<number:take_id>/repair/", views.repair_again, name="repair"),
    path("compare/", views.compare, name="compare"),
    path("<number:take_id>/keep/", views.keep, name="keep"),
    path("<number:take_id>/forget/", views.forget, name="forget"),
    path("<number:take_id>/mark/", views.mark, name="mark"),
    path("<number:take_id>/mark/<number:mark_id>/", views.note, name="note"),
    path("<number:take_id>/<number:number>/video/", views.video, name="video"),
    path("<number:take_id>/<number:number>/poster/", views.poster, name="poster"),
    path("<number:take_id>/still/<slug:name>/", views.still, name="still"),
]
