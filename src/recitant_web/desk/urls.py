"""Addresses of the desk."""

from django.urls import path

from recitant_web.desk import arrange_views, level_views, views

urlpatterns = [
    path("programmes/<int:programme_id>/balance", views.balance, name="balance"),
    path("programmes/<int:programme_id>/state", views.state, name="desk-state"),
    path("programmes/<int:programme_id>/edits", views.edits, name="desk-edits"),
    path("programmes/<int:programme_id>/first-balance", views.balance_first, name="first-balance"),
    path("programmes/<int:programme_id>/level-path", views.level_path, name="level-path"),
    path("programmes/<int:programme_id>/contours", views.clip_contours, name="desk-contours"),
    path("programmes/<int:programme_id>/sound", views.sound, name="desk-sound"),
    path("programmes/<int:programme_id>/level", level_views.level, name="level"),
    path("programmes/<int:programme_id>/level/state", level_views.level_now, name="level-state"),
    path("programmes/<int:programme_id>/level/edits", level_views.level_edits, name="level-edits"),
    path("programmes/<int:programme_id>/level/view", level_views.level_view, name="level-view"),
    path("programmes/<int:programme_id>/level/whole", level_views.level_whole, name="level-whole"),
    path("programmes/<int:programme_id>/level/find", level_views.level_find, name="level-find"),
    path("programmes/<int:programme_id>/level/even", level_views.level_even, name="level-even"),
    path("programmes/<int:programme_id>/level/peaks", level_views.level_peaks, name="level-peaks"),
    path("programmes/<int:programme_id>/level/presets", level_views.level_presets, name="level-presets"),
    path("programmes/<int:programme_id>/arrange", arrange_views.arrange, name="arrange"),
    path("programmes/<int:programme_id>/arrange/state", arrange_views.arrange_now, name="arrange-state"),
    path("programmes/<int:programme_id>/arrange/edits", arrange_views.arrange_edits, name="arrange-edits"),
    path("programmes/<int:programme_id>/arrange/history", arrange_views.arrange_history, name="arrange-history"),
    path("programmes/<int:programme_id>/arrange/alignment", arrange_views.arrange_alignment, name="arrange-alignment"),
    path(
        "programmes/<int:programme_id>/outline/<str:source_key>/<int:level>/<int:tile>",
        arrange_views.outline,
        name="outline",
    ),
    path(
        "programmes/<int:programme_id>/sources/<int:source_id>/sound", arrange_views.source_sound, name="source-sound"
    ),
    path("programmes/<int:programme_id>/timecode", arrange_views.timecode, name="timecode"),
    path("programmes/<int:programme_id>/picture", arrange_views.picture, name="picture"),
]
