"""Start of the desk: it listens for sources that become ready."""

from django.apps import AppConfig


class DeskConfig(AppConfig):
    """Clips, levels, the edit log and the Balance page."""

    name = "recitant_web.desk"

    def ready(self) -> None:
        """Place every source on a track of its own once it is ready."""
        from recitant_web.desk.actions import place_source
        from recitant_web.programme.signals import source_ready

        source_ready.connect(lambda source, **_: place_source(source), weak=False, dispatch_uid="desk.place_source")
