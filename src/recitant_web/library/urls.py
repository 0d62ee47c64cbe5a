"""Addresses of the library."""

from django.urls import path

from recitant_web.library import views

urlpatterns = [
    path("programmes/<int:programme_id>/library", views.library, name="library"),
    path("programmes/<int:programme_id>/library/<int:sound_id>/sound", views.sound, name="library-sound"),
    path("programmes/<int:programme_id>/library/<int:sound_id>/favourite", views.favourite, name="library-favourite"),
    path("programmes/<int:programme_id>/library/<int:sound_id>/place", views.place, name="library-place"),
]
