"""SoundFonts of an account over the API."""

from django.core.files.uploadedfile import SimpleUploadedFile

from expression.soundfont import made_small
from tests.studio.conftest import Caller


def test_one_is_kept_listed_fetched_and_let_go_of(anna: Caller, bert: Caller) -> None:
    answer = anna.client.post("/api/banks", {"file": SimpleUploadedFile("Small harbour.sf2", made_small())})
    assert answer.status_code == 201
    kept = answer.json()
    assert kept["name"] == "Small harbour"
    assert [one["name"] for one in kept["presets"]] == ["Harbour bell", "Pier reed"]
    assert anna.get("banks") == [kept]
    assert anna.client.get(f"/api/banks/{kept['id']}/data").content == made_small()
    assert bert.get("banks") == []
    assert bert.client.get(f"/api/banks/{kept['id']}/data").status_code == 404
    assert bert.call("delete", f"banks/{kept['id']}").status_code == 404
    assert anna.call("delete", f"banks/{kept['id']}").status_code == 204
    assert anna.get("banks") == []


def test_what_is_none_is_refused_in_a_sentence(anna: Caller) -> None:
    answer = anna.client.post("/api/banks", {"file": SimpleUploadedFile("x.sf2", b"RIFF")})
    assert (answer.status_code, "not a SoundFont" in answer.json()["detail"]) == (422, True)
    assert "Choose a SoundFont" in anna.client.post("/api/banks").json()["detail"]
