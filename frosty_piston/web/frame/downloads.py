"""Files that are fetched: a long one goes out in pieces, so that packing it holds nobody up."""

from collections.abc import Iterator

from fastapi.responses import Response, StreamingResponse

PIECE_BYTES = 64 * 1024


def download(data: bytes, media_type: str, name: str, shown: bool = False) -> Response:
    """A file under a name; `shown`: a browser may show it in place of keeping it."""
    headers = {"Content-Disposition": f'{"inline" if shown else "attachment"}; filename="{name}"'}
    if len(data) <= PIECE_BYTES:
        return Response(data, media_type=media_type, headers=headers)
    return StreamingResponse(_pieces(data), media_type=media_type, headers=headers)


def _pieces(data: bytes) -> Iterator[bytes]:
    for start in range(0, len(data), PIECE_BYTES):
        yield data[start : start + PIECE_BYTES]
