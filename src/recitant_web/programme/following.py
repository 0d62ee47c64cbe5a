"""Whether a programme has another revision: the one question that every open page asks again and again.

Why it goes past sessions and forms: docs/decisions/following.md
"""

import re
from collections.abc import Callable
from typing import Final

from django.core.signing import BadSignature, Signer
from django.db import connection
from django.http import HttpRequest, HttpResponse, JsonResponse

_PATH: Final = re.compile(r"/programmes/([0-9]{1,18})/moved")
_REVISION: Final = """
    SELECT p.revision FROM programme_programme p
    JOIN accounts_membership m ON m.workspace_id = p.workspace_id
    JOIN auth_user u ON u.id = m.user_id
    WHERE p.id = %s AND u.id = %s AND u.is_active AND p.deleted_at IS NULL
"""


def following_key(user_id: int) -> str:
    """Signed name of who asks: stands in for the session where a page asks for a revision, and opens nothing else."""
    return Signer(salt="following").sign(str(user_id))


class Following:
    """Answers pages that ask whether their programme moved on: 304 where not, else the revision as JSON.

    First of the chain: such a question costs one statement, which also says whether the person may see the programme.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer the question; pass on everything else."""
        asked = _PATH.fullmatch(request.path_info) if request.method == "GET" else None
        if asked is None:
            return self.get_response(request)
        try:
            user_id = Signer(salt="following").unsign(request.GET.get("key", ""))
        except BadSignature:
            return HttpResponse(status=404)
        with connection.cursor() as cursor:
            cursor.execute(_REVISION, [int(asked[1]), int(user_id)])
            found = cursor.fetchone()
        if found is None:
            return HttpResponse(status=404)
        if request.GET.get("seen") == str(found[0]):
            return HttpResponse(status=304)
        return JsonResponse({"revision": found[0]}, headers={"Cache-Control": "no-store"})
