"""Addresses of the list of programmes."""

from django.urls import path

from recitant_web.programmes import views

urlpatterns = [
    path("", views.programmes, name="programmes"),
    path("batch", views.batch, name="batch"),
    path("room", views.room, name="room"),
    path("programmes/<int:programme_id>/keep", views.keep, name="keep"),
    path("programmes/<int:programme_id>/still", views.still, name="still"),
    path("programmes/<int:programme_id>/remove", views.remove, name="remove"),
]
