"""Addresses of takes."""

from django.urls import path

from reel.web.takes import bring_views, hand_views, views

app_name = "takes"
urlpatterns = [
    path("", views.index, name="index"),
    path("bring/", bring_views.index, name="bring"),
    path("bring/folder/", bring_views.folder, name="bring-folder"),
    path("bring/watched/", bring_views.watched, name="bring-watched"),
    path("bring/begin/", bring_views.begin, name="bring-begin"),
    path("bring/<number:incoming_id>/piece/", bring_views.piece, name="bring-piece"),
    path("bring/<number:incoming_id>/go-on/", bring_views.go_on, name="bring-on"),
    path("bring/<number:incoming_id>/give-up/", bring_views.give_up, name="bring-off"),
    path("device/", bring_views.devices, name="devices"),
    path("device/<slug:kind>/", bring_views.device, name="device"),
    path("device/<slug:kind>/link/", bring_views.link, name="link"),
    path("facts/", hand_views.facts, name="facts"),
    path("<number:take_id>/timeline/", hand_views.otio, name="timeline"),
    path("<number:take_id>/<number:number>/file/", hand_views.download, name="download"),
    path("<number:take_id>/<number:number>/chapters/", hand_views.chapters, name="chapters"),
    path("<number:take_id>/<number:number>/moments/", hand_views.moments, name="moments"),
    path("<number:take_id>/<number:number>/png/", hand_views.png, name="png"),
    path("<number:take_id>/<number:number>/make/", hand_views.make, name="make"),
    path("made/<number:made_id>/", hand_views.made, name="made"),
    path("made/<number:made_id>/forget/", hand_views.forget, name="forget-made"),
    path("several/", views.several, name="several"),
    path("<number:take_id>/describe/", views.describe, name="describe"),
    path("<number:take_id>/", views.take, name="take"),
    path("<number:take_id>/in-time/", views.in_time, name="in-time"),
    path("<number:take_id>/rename/", views.rename, name="rename"),
    path("<number:take_id>/delete/", views.delete, name="delete"),
    path("<number:take_id>/prove/", views.prove_again, name="prove"),
    path("<number:take_id>/point/", views.point, name="point"),
    path("<number:take_id>/repair/", views.repair_again, name="repair"),
    path("compare/", views.compare, name="compare"),
    path("<number:take_id>/<number:number>/verify/", views.verify, name="verify"),
    path("<number:take_id>/keep/", views.keep, name="keep"),
    path("<number:take_id>/forget/", views.forget, name="forget"),
    path("<number:take_id>/mark/", views.mark, name="mark"),
    path("<number:take_id>/mark/<number:mark_id>/", views.note, name="note"),
    path("<number:take_id>/<number:number>/video/", views.video, name="video"),
    path("<number:take_id>/<number:number>/frame/", views.frame, name="frame"),
    path("<number:take_id>/<number:number>/poster/", views.poster, name="poster"),
    path("<number:take_id>/still/<slug:name>/", views.still, name="still"),
]
