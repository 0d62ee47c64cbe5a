"""Reading jobs."""

from collections.abc import Mapping

from django.contrib.auth.models import User
from django.db.models import QuerySet

from recitant_web.accounts.models import Workspace
from recitant_web.jobs.models import Job, JobState


def jobs_of(user: User) -> QuerySet[Job]:
    """The jobs of this user's workspaces."""
    return Job.objects.filter(workspace__memberships__user=user)


def is_under_way(workspace: Workspace, kind: str, payload: Mapping[str, object]) -> bool:
    """Whether such a job waits or works already."""
    states = (JobState.WAITING, JobState.WORKING)
    return Job.objects.filter(workspace=workspace, kind=kind, payload=payload, state__in=states).exists()
