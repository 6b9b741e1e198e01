"""All the files of an upload in one temporary file: thousands of them take one open file."""

from __future__ import annotations

import io
import tempfile
from typing import IO, Any

from django.core.exceptions import RequestDataTooBig
from django.core.files.uploadedfile import UploadedFile
from django.core.files.uploadhandler import FileUploadHandler

from server.networks.uploads import MAXIMUM_BYTES

__all__ = ["SpoolHandler"]


class SpoolHandler(FileUploadHandler):
    """Django's uploads, one behind the other."""

    def __init__(self, request: Any = None) -> None:
        super().__init__(request)
        self._spool: IO[bytes] | None = None
        self._start = self._end = 0

    def new_file(self, *arguments: Any, **options: Any) -> None:
        super().new_file(*arguments, **options)
        if self._spool is None:
            self._spool = tempfile.TemporaryFile()  # noqa: SIM115 - the upload's files need it
        self._start = self._end

    def receive_data_chunk(self, raw_data: bytes, start: int) -> None:
        self._end += len(raw_data)
        if self._end > MAXIMUM_BYTES:
            raise RequestDataTooBig(f"more than {MAXIMUM_BYTES // 2**20} MiB of files")
        assert self._spool is not None  # noqa: S101
        self._spool.write(raw_data)

    def file_complete(self, file_size: int) -> UploadedFile[bytes]:
        assert self._spool is not None  # noqa: S101
        part = io.BufferedReader(_Part(self._spool, self._start, file_size), 4096)
        return UploadedFile(part, self.file_name, self.content_type, file_size, self.charset)

    def upload_interrupted(self) -> None:
        if self._spool is not None:
            self._spool.close()


class _Part(io.RawIOBase):
    """A stretch of a file, read as a file of its own."""

    def __init__(self, whole: IO[bytes], start: int, size: int) -> None:
        self._whole, self._start, self._size = whole, start, size
        self._at = 0

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        base = {io.SEEK_SET: 0, io.SEEK_CUR: self._at, io.SEEK_END: self._size}[whence]
        self._at = max(0, base + offset)
        return self._at

    def readinto(self, buffer: Any) -> int:
        self._whole.seek(self._start + self._at)
        data = self._whole.read(max(0, min(len(buffer), self._size - self._at)))
        buffer[: len(data)] = data
        self._at += len(data)
        return len(data)
