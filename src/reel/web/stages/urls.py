"""Addresses of a rig's stages."""

from django.urls import path

from reel.web.rigs.serial import serial
from reel.web.stages import device, file, frame, roll, sound, views
from reel.web.stages import path as path_stage

app_name = "stages"
urlpatterns = [
    path("<number:rig_id>/", views.stage, name="rig"),
    path("<number:rig_id>/keep-recipe/", serial(file.keep_recipe), name="keep-recipe"),
    path("<number:rig_id>/bench/", file.bench, name="bench"),
    path("<number:rig_id>/estimate/", file.estimate, name="estimate"),
    path("<number:rig_id>/keeps-up/", file.keeps_up, name="keeps-up"),
    path("<number:rig_id>/change/", serial(path_stage.change), name="change"),
    path("<number:rig_id>/put-back/<number:take_id>/", serial(roll.put_back), name="put-back"),
    path("<number:rig_id>/tick/", serial(roll.tick), name="tick"),
    path("<number:rig_id>/scenario/", serial(device.scenario), name="scenario"),
    path("<number:rig_id>/simulate/", device.simulate, name="simulate"),
    path("<number:rig_id>/shelf/", serial(roll.shelf), name="shelf"),
    path("<number:rig_id>/fit-frame/", serial(frame.fit_frame), name="fit-frame"),
    path("<number:rig_id>/record-at/", serial(file.record_at), name="record-at"),
    path("<number:rig_id>/piece/", serial(frame.piece), name="piece"),
    path("<number:rig_id>/arrange/", serial(frame.arrange), name="arrange"),
    path("<number:rig_id>/touches/", serial(frame.touches), name="touches"),
    path("<number:rig_id>/lay-over/", serial(frame.lay_over), name="lay-over"),
    path("<number:rig_id>/draw/", frame.draw, name="draw"),
    path("<number:rig_id>/show/", frame.show, name="show"),
    path("<number:rig_id>/toggle/", frame.toggle, name="toggle"),
    path("<number:rig_id>/undo/<slug:stage>/", serial(views.undo), name="undo"),
    path("<number:rig_id>/find-bars/", frame.find_bars, name="find-bars"),
    path("<number:rig_id>/take-advice/", serial(frame.take_advice), name="take-advice"),
    path("<number:rig_id>/strip/", serial(sound.strip), name="strip"),
    path("<number:rig_id>/tracks/", serial(sound.tracks), name="tracks"),
    path("<number:rig_id>/balance/", serial(sound.balance), name="balance"),
    path("<number:rig_id>/test-sync/", sound.test_sync, name="test-sync"),
    path("<number:rig_id>/sync/", serial(sound.sync), name="sync"),
    path("<number:rig_id>/inputs/add/", serial(sound.add_input), name="add-input"),
    path("<number:rig_id>/inputs/remove/", serial(sound.remove_input), name="remove-input"),
    path("<number:rig_id>/inputs/rename/", serial(sound.rename_input), name="rename-input"),
    path("<number:rig_id>/line/<slug:stage>/", views.line, name="line"),
    path("<number:rig_id>/mend/<slug:stage>/", serial(views.mend), name="mend"),
    path("<number:rig_id>/<slug:stage>/", serial(views.stage), name="stage"),
]
