"""Addresses of specifications."""

from django.urls import path

from recitant_web.specifications import views

urlpatterns = [
    path("specifications", views.specifications, name="specifications"),
    path("specifications/<int:workspace_id>/<slug:spec_id>", views.specification, name="specification"),
    path("specifications/<int:workspace_id>/<slug:spec_id>.json", views.as_json, name="specification-json"),
]
