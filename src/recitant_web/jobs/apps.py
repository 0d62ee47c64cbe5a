"""Jobs, and the figures about them."""

from django.apps import AppConfig


class Jobs(AppConfig):
    """Registers the figures once models are there."""

    name = "recitant_web.jobs"
    label = "jobs"

    def ready(self) -> None:
        """They register themselves."""
        from recitant_web.jobs import figures  # noqa: F401
