"""Addresses of deliveries."""

from django.urls import path

from recitant_web.delivery import views

urlpatterns = [
    path("programmes/<int:programme_id>/hand-over", views.page, name="hand-over"),
    path("programmes/<int:programme_id>/deliveries/<int:delivery_id>/<str:name>", views.file, name="delivered-file"),
]
