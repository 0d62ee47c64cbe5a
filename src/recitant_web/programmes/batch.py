"""Many programmes handed over at once to their sheets, and how far they are."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import timedelta
from typing import Final

from django.contrib.auth.models import User
from django.utils import timezone

from recitant_web.delivery.actions import hand_over_sheet
from recitant_web.delivery.models import Delivery
from recitant_web.programme.models import Programme
from recitant_web.programme.queries import programmes_of
from recitant_web.shared.refusals import words_of_refusal

SHOWN: Final = timedelta(days=2)
_MOST_ROWS: Final = 200


@dataclass(frozen=True)
class BatchRow:
    """A delivery of one of the programmes."""

    delivery: Delivery
    n_passed: int
    n_orders: int


def hand_over_many(programmes: Iterable[Programme], made_by: str) -> list[tuple[Programme, str]]:
    """Each programme to its sheet; those that could not be begun, with the reason. They stop none of the others."""
    refused = []
    for programme in programmes:
        words = words_of_refusal(lambda one=programme: hand_over_sheet(one, made_by))  # type: ignore[misc]
        if words:
            refused.append((programme, words))
    return refused


def batch_rows_of(user: User) -> list[BatchRow]:
    """Deliveries of late, the newest first."""
    since = timezone.now() - SHOWN
    found = Delivery.objects.filter(programme__in=programmes_of(user), made_at__gte=since)
    rows = found.select_related("job", "programme").defer("plan").order_by("-pk")[:_MOST_ROWS]
    return [_row(delivery) for delivery in rows]


def _row(delivery: Delivery) -> BatchRow:
    made = delivery.report["deliveries"] if delivery.report else []
    return BatchRow(delivery, sum(one["passes"] for one in made), len(delivery.orders))
