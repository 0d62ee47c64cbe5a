"""Start of the desk: it listens for sources that become ready."""

from django.apps import AppConfig


class DeskConfig(AppConfig):
    """Owner of clips, levels and the edit log; the pages above it have no tables."""

    name = "recitant_web.desk"

    def ready(self) -> None:
        """Place every source on a track of its own once it is ready."""
        from recitant_web.desk.ducking import follow_speech, follow_step
        from recitant_web.desk.log import recorded
        from recitant_web.desk.placing import lay_pile, place_channels_left, place_source
        from recitant_web.jobs.signals import tried_again
        from recitant_web.programme.actions import wait_again
        from recitant_web.programme.ingesting import read_again
        from recitant_web.programme.signals import (
            channel_refused,
            copy_missing,
            pile_changed,
            source_heard,
            source_ready,
        )

        channel_refused.connect(
            lambda source, **_: place_channels_left(source), weak=False, dispatch_uid="desk.place_channels_left"
        )
        copy_missing.connect(lambda sha256, **_: read_again(sha256), weak=False, dispatch_uid="desk.read_again")
        tried_again.connect(lambda job, **_: wait_again(job), weak=False, dispatch_uid="desk.wait_again")
        recorded.connect(
            lambda programme, edit, after, **_: follow_step(programme, edit, after),
            weak=False,
            dispatch_uid="desk.follow_step",
        )
        source_heard.connect(lambda source, **_: follow_speech(source), weak=False, dispatch_uid="desk.follow_speech")
        pile_changed.connect(lambda pile, **_: lay_pile(pile), weak=False, dispatch_uid="desk.lay_pile")
        source_ready.connect(lambda source, **_: place_source(source), weak=False, dispatch_uid="desk.place_source")
