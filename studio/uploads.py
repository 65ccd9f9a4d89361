"""Uploads: small files are held in memory, larger ones written down as they come; none is read beyond its limit."""

from io import BytesIO
from typing import Any

from django.conf import settings
from django.core.files.uploadedfile import InMemoryUploadedFile, TemporaryUploadedFile, UploadedFile
from django.core.files.uploadhandler import FileUploadHandler, SkipFile

from expression.limits import MOST_BANK_BYTES, MOST_HAND_BYTES, MOST_READ_AT_ONCE


class BoundedUpload(FileUploadHandler):
    """Drops a file as soon as it is larger than Lull reads, however much more there is of it.

    The request goes on without the file, and `lull.too_large` in its meta data tells why.
    """

    _file: Any

    def handle_raw_input(self, *args: object, **kwargs: object) -> None:
        """Begin a request: all its files count together."""
        path = self.request.path if self.request is not None else ""
        most = {"sound": settings.MOST_SOUND_BYTES, "banks": MOST_BANK_BYTES, "hands": MOST_HAND_BYTES}
        self._most = most.get(path.rpartition("/")[2], settings.MOST_UPLOAD_BYTES)
        self._received = 0

    def new_file(self, *args: Any, **kwargs: Any) -> None:
        """Begin a file."""
        super().new_file(*args, **kwargs)
        self._file = BytesIO()

    def receive_data_chunk(self, raw_data: bytes, start: int) -> None:
        """Keep a piece of the file."""
        self._received += len(raw_data)
        if self._received > self._most:
            if self.request is not None:
                self.request.META["lull.too_large"] = True
            self._file.close()
            raise SkipFile
        try:
            self._write(raw_data)
        except OSError:
            # A disk that is full stays no fuller than it was: what came so far goes, and others find room.
            self._file.close()
            raise

    def _write(self, raw_data: bytes) -> None:
        if isinstance(self._file, BytesIO) and self._file.tell() + len(raw_data) > MOST_READ_AT_ONCE:
            held = self._file.getvalue()
            self._file = TemporaryUploadedFile(
                self.file_name or "", self.content_type or "", 0, self.charset, self.content_type_extra
            )
            self._file.write(held)
        self._file.write(raw_data)

    def file_complete(self, file_size: int) -> "UploadedFile[bytes]":
        """The file."""
        self._file.seek(0)
        if not isinstance(self._file, BytesIO):
            self._file.size = file_size
            return self._file  # type: ignore[no-any-return]
        return InMemoryUploadedFile(
            self._file, self.field_name, self.file_name or "", self.content_type or "", file_size, self.charset
        )

    def upload_interrupted(self) -> None:
        """The sender has left."""
        self._file.close()
