"""Files sent in parts, as a browser asks for them when it seeks in a picture."""

import re
from collections.abc import Iterator
from pathlib import Path
from typing import Final

from django.http import HttpRequest, HttpResponse, StreamingHttpResponse

_BLOCK: Final = 1 << 18
_RANGE: Final = re.compile(r"bytes=(\d*)-(\d*)$")


def send_file(request: HttpRequest, path: Path, content_type: str) -> HttpResponse | StreamingHttpResponse:
    """A file, or the part of it that the request asks for (RFC 9110, one range); 416 where there is no such part."""
    size = path.stat().st_size
    asked = _RANGE.match(request.headers.get("Range", ""))
    first, last = 0, size - 1
    if asked:
        begin, end = asked.groups()
        if begin:
            first, last = int(begin), min(int(end), size - 1) if end else size - 1
        elif end:
            first = max(0, size - int(end))
        if first > last or not (begin or end):
            return HttpResponse(status=416, headers={"Content-Range": f"bytes */{size}"})
    response = StreamingHttpResponse(
        _blocks(path, first, last - first + 1), status=206 if asked else 200, content_type=content_type
    )
    response["Accept-Ranges"] = "bytes"
    response["Content-Length"] = str(last - first + 1)
    if asked:
        response["Content-Range"] = f"bytes {first}-{last}/{size}"
    return response


def _blocks(path: Path, first: int, count: int) -> Iterator[bytes]:
    with path.open("rb") as file:
        file.seek(first)
        while count > 0 and (block := file.read(min(_BLOCK, count))):
            count -= len(block)
            yield block
