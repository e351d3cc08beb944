"""Addresses of rigs."""

from django.urls import path

from reel.web.rigs import views

app_name = "rigs"
urlpatterns = [
    path("", views.index, name="index"),
    path("new/", views.new, name="new"),
    path("proposal/", views.proposal, name="proposal"),
    path("import/", views.import_rig, name="import"),
    path("<number:rig_id>/", views.stage, name="rig"),
    path("<number:rig_id>/allow/", views.allow, name="allow"),
    path("<number:rig_id>/cost/", views.cost, name="cost"),
    path("<number:rig_id>/export/", views.export, name="export"),
    path("<number:rig_id>/duplicate/", views.duplicate, name="duplicate"),
    path("<number:rig_id>/delete/", views.delete, name="delete"),
    path("<number:rig_id>/change/", views.change, name="change"),
    path("<number:rig_id>/put-back/<number:take_id>/", views.put_back, name="put-back"),
    path("<number:rig_id>/tick/", views.tick, name="tick"),
    path("<number:rig_id>/play/", views.play, name="play"),
    path("<number:rig_id>/fit-frame/", views.fit_frame, name="fit-frame"),
    path("<number:rig_id>/line/<slug:stage>/", views.line, name="line"),
    path("<number:rig_id>/mend/<slug:stage>/", views.mend, name="mend"),
    path("<number:rig_id>/<slug:stage>/", views.stage, name="stage"),
]
