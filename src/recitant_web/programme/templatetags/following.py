"""Where a page asks whether its programme moved on."""

from typing import Any
from urllib.parse import urlencode

from django import template

from recitant_web.programme.following import following_key

register = template.Library()


@register.simple_tag(takes_context=True)
def following_url(context: dict[str, Any], programme_id: int) -> str:
    """The address for whoever looks at the page, without the revision seen."""
    return f"/programmes/{programme_id}/moved?{urlencode({'key': following_key(context['request'].user.pk)})}"
