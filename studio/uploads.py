"""Uploads are held in memory up to the limit, all files of a request together, and read no further."""

from typing import IO, Any

from django.conf import settings
from django.core.files.uploadhandler import MemoryFileUploadHandler, SkipFile
from django.http import QueryDict


class BoundedUpload(MemoryFileUploadHandler):
    """Drops a file as soon as it is larger than Lull reads, however much more there is of it.

    The request goes on without the file, and `too_large` on the request's meta data tells why.
    """

    def handle_raw_input(
        self,
        input_data: IO[bytes],
        META: dict[str, Any],  # noqa: N803
        content_length: int,
        boundary: Any,
        encoding: str | None = None,
    ) -> tuple[QueryDict, Any] | None:
        """Take every upload into memory: the limit keeps it small."""
        self.activated = True
        sounds = self.request is not None and self.request.path.endswith("/sound")
        self._most = settings.MOST_SOUND_BYTES if sounds else settings.MOST_UPLOAD_BYTES
        self._received = 0
        return None

    def receive_data_chunk(self, raw_data: bytes, start: int) -> bytes | None:
        """Keep a piece of the file."""
        self._received += len(raw_data)
        if self._received > self._most:
            if self.request is not None:
                self.request.META["lull.too_large"] = True
            raise SkipFile
        return super().receive_data_chunk(raw_data, start)
