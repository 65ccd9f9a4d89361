"""An API client that speaks as one account or another."""

import io
import json
from pathlib import Path
from typing import Any
from uuid import UUID

import numpy as np
import pytest
import soundfile
from django.conf import settings
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from pydantic import TypeAdapter

from studio.services import jobs
from tests.files import file_of, phrase


class Caller:
    """Calls the API as an account, with JSON both ways."""

    def __init__(self, name: str) -> None:
        self.user = User.objects.create_user(name, password="a long enough one")
        self.client = Client()
        self.client.force_login(self.user)

    def call(self, method: str, path: str, body: Any = None) -> Any:
        data = {} if body is None else {"data": json.dumps(body), "content_type": "application/json"}
        return getattr(self.client, method)(f"/api/{path}", **data)

    def get(self, path: str) -> Any:
        return self.call("get", path).json()

    def upload(self, data: bytes, name: str = "take.mid") -> Any:
        return self.client.post("/api/takes", {"file": SimpleUploadedFile(name, data)})

    def add(self, data: bytes | None = None, name: str = "take.mid") -> str:
        response = self.upload(data or file_of(phrase([64] * 5)), name)
        if response.status_code == 202:
            return str(self.worked(response)["take_id"])
        assert response.status_code == 201, response.content
        return str(response.json()["id"])

    def worked(self, response: Any) -> Any:
        """What has come of a job that was asked for, once a worker has done it."""
        assert response.status_code in (200, 202), response.content
        number = response.json()["id"]
        jobs.work(UUID(number))
        return self.get(f"jobs/{number}")


def holds_to(contract: Any, answer: Any) -> None:
    """The long answers are sent as the core made them; this is what holds them to the contract."""
    TypeAdapter(contract).validate_python(answer, strict=False)


def wav(seconds: float) -> bytes:
    """A tone of so many seconds, 8,000 samples each."""
    out = io.BytesIO()
    soundfile.write(out, 0.5 * np.sin(np.arange(int(seconds * 8_000)) / 20), 8_000, format="WAV")
    return out.getvalue()


@pytest.fixture
def place(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A spool of the test's own."""
    monkeypatch.setattr(settings, "SPOOL", tmp_path)
    monkeypatch.setattr(settings, "FILE_UPLOAD_TEMP_DIR", tmp_path)
    return tmp_path


@pytest.fixture
def anna(db: None) -> Caller:
    return Caller("anna")


@pytest.fixture
def bert(db: None) -> Caller:
    return Caller("bert")
