"""Plans that several tests render."""

from recitant_core.timeline.model import Clip, Plan, Track
from recitant_core.units.roles import Role
from signals import RATE_HZ, MemorySource, programme


def voice_and_score(seconds: int) -> tuple[Plan, dict[str, MemorySource]]:
    """A track of dialogue and one of music, each a recording as long as the programme."""
    sources = {name: MemorySource(name, programme(seed, seconds)) for seed, name in enumerate(("voice", "score"))}
    tracks = tuple(
        Track(name, name, role, -6.0, clips=(Clip(name, name, 0, 0, seconds * RATE_HZ),))
        for name, role in (("voice", Role.DIALOGUE), ("score", Role.MUSIC))
    )
    return Plan("Night harbour", "25", tracks), sources
