"""Addresses of the Level page."""

from django.urls import path

from recitant_web.level import views

urlpatterns = [
    path("programmes/<int:programme_id>/level", views.level, name="level"),
    path("programmes/<int:programme_id>/level/state", views.level_now, name="level-state"),
    path("programmes/<int:programme_id>/level/edits", views.level_edits, name="level-edits"),
    path("programmes/<int:programme_id>/level/view", views.level_view, name="level-view"),
    path("programmes/<int:programme_id>/level/static", views.level_static, name="level-static"),
    path("programmes/<int:programme_id>/level/whole", views.level_whole, name="level-whole"),
    path("programmes/<int:programme_id>/level/draft", views.level_draft, name="level-draft"),
    path("programmes/<int:programme_id>/level/find", views.level_find, name="level-find"),
    path("programmes/<int:programme_id>/level/even", views.level_even, name="level-even"),
    path("programmes/<int:programme_id>/level/peaks", views.level_peaks, name="level-peaks"),
    path("programmes/<int:programme_id>/level/presets", views.level_presets, name="level-presets"),
]
