"""Addresses of rigs."""

from django.urls import path

from reel.web.rigs import views
from reel.web.rigs.serial import serial

app_name = "rigs"
urlpatterns = [
    path("", views.index, name="index"),
    path("new/", views.new, name="new"),
    path("proposal/", views.proposal, name="proposal"),
    path("import/", views.import_rig, name="import"),
    path("<number:rig_id>/", views.stage, name="rig"),
    path("<number:rig_id>/allow/", serial(views.allow), name="allow"),
    path("<number:rig_id>/keep-recipe/", serial(views.keep_recipe), name="keep-recipe"),
    path("<number:rig_id>/bench/", views.bench, name="bench"),
    path("<number:rig_id>/estimate/", views.estimate, name="estimate"),
    path("<number:rig_id>/keeps-up/", views.keeps_up, name="keeps-up"),
    path("<number:rig_id>/recipe/", views.recipe, name="recipe"),
    path("<number:rig_id>/export/", views.export, name="export"),
    path("<number:rig_id>/duplicate/", serial(views.duplicate), name="duplicate"),
    path("<number:rig_id>/delete/", serial(views.delete), name="delete"),
    path("<number:rig_id>/change/", serial(views.change), name="change"),
    path("<number:rig_id>/put-back/<number:take_id>/", serial(views.put_back), name="put-back"),
    path("<number:rig_id>/tick/", serial(views.tick), name="tick"),
    path("<number:rig_id>/play/", serial(views.play), name="play"),
    path("<number:rig_id>/shelf/", serial(views.shelf), name="shelf"),
    path("<number:rig_id>/fit-frame/", serial(views.fit_frame), name="fit-frame"),
    path("<number:rig_id>/record-at/", serial(views.record_at), name="record-at"),
    path("<number:rig_id>/piece/", serial(views.piece), name="piece"),
    path("<number:rig_id>/arrange/", serial(views.arrange), name="arrange"),
    path("<number:rig_id>/touches/", serial(views.touches), name="touches"),
    path("<number:rig_id>/lay-over/", serial(views.lay_over), name="lay-over"),
    path("<number:rig_id>/draw/", views.draw, name="draw"),
    path("<number:rig_id>/show/", views.show, name="show"),
    path("<number:rig_id>/toggle/", views.toggle, name="toggle"),
    path("<number:rig_id>/undo/", serial(views.undo), name="undo"),
    path("<number:rig_id>/find-bars/", views.find_bars, name="find-bars"),
    path("<number:rig_id>/take-advice/", serial(views.take_advice), name="take-advice"),
    path("<number:rig_id>/strip/", serial(views.strip), name="strip"),
    path("<number:rig_id>/tracks/", serial(views.tracks), name="tracks"),
    path("<number:rig_id>/balance/", serial(views.balance), name="balance"),
    path("<number:rig_id>/test-sync/", views.test_sync, name="test-sync"),
    path("<number:rig_id>/sync/", serial(views.sync), name="sync"),
    path("<number:rig_id>/inputs/add/", serial(views.add_input), name="add-input"),
    path("<number:rig_id>/inputs/remove/", serial(views.remove_input), name="remove-input"),
    path("<number:rig_id>/inputs/rename/", serial(views.rename_input), name="rename-input"),
    path("<number:rig_id>/line/<slug:stage>/", views.line, name="line"),
    path("<number:rig_id>/mend/<slug:stage>/", serial(views.mend), name="mend"),
    path("<number:rig_id>/<slug:stage>/", serial(views.stage), name="stage"),
]
