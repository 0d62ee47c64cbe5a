"""Addresses of the Arrange page."""

from django.urls import path

from recitant_web.arrange import views

urlpatterns = [
    path("programmes/<int:programme_id>/arrange", views.arrange, name="arrange"),
    path("programmes/<int:programme_id>/arrange/state", views.arrange_now, name="arrange-state"),
    path("programmes/<int:programme_id>/arrange/edits", views.arrange_edits, name="arrange-edits"),
    path("programmes/<int:programme_id>/arrange/history", views.arrange_history, name="arrange-history"),
    path("programmes/<int:programme_id>/arrange/alignment", views.arrange_alignment, name="arrange-alignment"),
    path(
        "programmes/<int:programme_id>/outline/<str:source_key>/<int:level>/<int:tile>",
        views.outline,
        name="outline",
    ),
    path("programmes/<int:programme_id>/sources/<int:source_id>/sound", views.source_sound, name="source-sound"),
    path("programmes/<int:programme_id>/timecode", views.timecode, name="timecode"),
    path("programmes/<int:programme_id>/picture", views.picture, name="picture"),
]
