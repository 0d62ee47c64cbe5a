"""Start of the library: it says which kept files its sounds need."""

from typing import Any

from django.apps import AppConfig


class LibraryConfig(AppConfig):
    """Sounds of a workspace."""

    name = "recitant_web.library"

    def ready(self) -> None:
        """Answer when a programme asks whether a file is still needed."""
        from recitant_web.library.models import Sound
        from recitant_web.programme.signals import original_asked

        def is_needed(original_file: str, **_: Any) -> bool:
            return Sound.objects.filter(original_file=original_file).exists()

        original_asked.connect(is_needed, weak=False, dispatch_uid="library.original_needed")
