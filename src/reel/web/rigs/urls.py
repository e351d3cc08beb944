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
    path("<number:rig_id>/keep-recipe/", views.keep_recipe, name="keep-recipe"),
    path("<number:rig_id>/bench/", views.bench, name="bench"),
    path("<number:rig_id>/keeps-up/", views.keeps_up, name="keeps-up"),
    path("<number:rig_id>/recipe/", views.recipe, name="recipe"),
    path("<number:rig_id>/export/", views.export, name="export"),
    path("<number:rig_id>/duplicate/", views.duplicate, name="duplicate"),
    path("<number:rig_id>/delete/", views.delete, name="delete"),
    path("<number:rig_id>/change/", views.change, name="change"),
    path("<number:rig_id>/put-back/<number:take_id>/", views.put_back, name="put-back"),
    path("<number:rig_id>/tick/", views.tick, name="tick"),
    path("<number:rig_id>/play/", views.play, name="play"),
    path("<number:rig_id>/shelf/", views.shelf, name="shelf"),
    path("<number:rig_id>/fit-frame/", views.fit_frame, name="fit-frame"),
    path("<number:rig_id>/piece/", views.piece, name="piece"),
    path("<number:rig_id>/arrange/", views.arrange, name="arrange"),
    path("<number:rig_id>/touches/", views.touches, name="touches"),
    path("<number:rig_id>/lay-over/", views.lay_over, name="lay-over"),
    path("<number:rig_id>/draw/", views.draw, name="draw"),
    path("<number:rig_id>/show/", views.show, name="show"),
    path("<number:rig_id>/toggle/", views.toggle, name="toggle"),
    path("<number:rig_id>/undo/", views.undo, name="undo"),
    path("<number:rig_id>/find-bars/", views.find_bars, name="find-bars"),
    path("<number:rig_id>/take-advice/", views.take_advice, name="take-advice"),
    path("<number:rig_id>/strip/", views.strip, name="strip"),
    path("<number:rig_id>/tracks/", views.tracks, name="tracks"),
    path("<number:rig_id>/balance/", views.balance, name="balance"),
    path("<number:rig_id>/test-sync/", views.test_sync, name="test-sync"),
    path("<number:rig_id>/sync/", views.sync, name="sync"),
    path("<number:rig_id>/inputs/add/", views.add_input, name="add-input"),
    path("<number:rig_id>/inputs/remove/", views.remove_input, name="remove-input"),
    path("<number:rig_id>/inputs/rename/", views.rename_input, name="rename-input"),
    path("<number:rig_id>/line/<slug:stage>/", views.line, name="line"),
    path("<number:rig_id>/mend/<slug:stage>/", views.mend, name="mend"),
    path("<number:rig_id>/<slug:stage>/", views.stage, name="stage"),
]
