"""The handover: what is in it, that any altered byte is found, that a wrong key is told from altered, and its pages."""

import io
import json
import stat
import zipfile
from functools import cache
from random import Random

import pypdfium2
import pytest
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey
from PIL import Image

from ewerer import cli
from ewerer.core.devices.library import shipped_library
from ewerer.core.record.handover import handover
from ewerer.core.record.photos import LONG_SIDE, MAX_BYTES, kept
from ewerer.core.record.signing import MANIFEST, SEAL, crew_key, fingerprint, public_bytes, seal, verify
from ewerer.core.trade.errors import DocumentError
from tests.events import at, event
from tests.files import members, picture
from tests.jobs import DEMO, SKERRY, job_of
from tests.sizes import size

LIBRARY = shipped_library()
KEY, OTHER = Ed25519PrivateKey.generate(), Ed25519PrivateKey.generate()
PRINT = fingerprint(public_bytes(KEY))
FORCED = event("t", "temporary", at(5), step="proof:transfer", shown="60")


def stream():
    return [
        event("a", "done", at(1), step="before:people"),
        event("b", "reading", at(2), step="address:ohms", name="ohms", value=118.0, shown="118", unit="Ω", verdict="fail", text="One terminator is missing"),
        event("c", "override", at(3), step="address:ohms", text="the second meter says 0"),
        event("d", "photo", at(4), photo="p1", step="found:photo"),
        event("e", "log", at(6), entry={"kind": "fault", "code": "F12", "text": "Low voltage alarm", "device": "U1"}),
        event("z", "signed", at(50), name="Ada Reed", text="commissioned it"),
    ]  # fmt: skip


@cache
def sealed() -> bytes:
    photos = {"p1": kept(picture((640, 480))).data, "stray": kept(picture()).data}
    return handover(job_of(SKERRY), LIBRARY, stream(), KEY, "Harbour crew", 7, photos)


def test_it_holds_everything_and_verifies_without_a_database(tmp_path, capsys):
    held = members(sealed())
    assert {
        "handover.pdf",
        "job.json",
        "events.jsonl",
        "log.csv",
        "due.ics",
        "photos/p1.jpg",
        "library/orrowan-t8.json",
        MANIFEST,
        SEAL,
    } <= set(held)
    assert "photos/stray.jpg" not in held, "only what an event names"
    job = json.loads(held["job.json"])
    assert job["ewerer"] == "job/2" and "as_found" not in job
    assert [json.loads(line)["id"] for line in held["events.jsonl"].splitlines()] == ["a", "b", "c", "d", "e", "z"]
    told = verify(sealed(), PRINT)
    assert told.verdict == "unaltered" and told.about["revision"] == 7 and "Ada Reed" in told.about["signed"]
    path = tmp_path / "h.zip"
    path.write_bytes(sealed())
    assert cli.main(["verify", str(path)]) == 0
    assert "Unaltered" in capsys.readouterr().out
    assert cli.main(["verify", str(path), "--json", "--key", PRINT.upper()]) == 0
    assert json.loads(capsys.readouterr().out)["verdict"] == "unaltered"


def test_the_same_facts_and_key_give_the_same_seal():
    small = {"a.txt": b"one", "b.txt": b"two"}
    assert seal(small, KEY, {"job": "x"}) == seal(dict(reversed(small.items())), KEY, {"job": "x"})


@pytest.mark.parametrize("seed", range(size(2, 8)))
def test_any_altered_byte_is_found(seed):
    """Every byte of a small one, and many of a whole one: flipped, cut, added to."""
    if seed == 0:
        small = seal({"a.txt": b"one line", "photos/p.jpg": b"\xff\xd8picture"}, KEY, {"job": "x"})
        assert verify(small).verdict == "unaltered"
        for i in range(len(small)):
            for bit in (1, 128):
                broken = bytearray(small)
                broken[i] ^= bit
                assert verify(bytes(broken)).verdict != "unaltered", i
        assert verify(small + b"x").verdict != "unaltered" and verify(small[:-1]).verdict != "unaltered"
        return
    dice = Random(seed)
    whole = sealed()
    for _ in range(60):
        broken = bytearray(whole)
        broken[dice.randrange(len(whole))] ^= 1 << dice.randrange(8)
        assert verify(bytes(broken)).verdict in ("altered", "unreadable")


@pytest.mark.parametrize(
    "name", ["handover.pdf", "job.json", "events.jsonl", "photos/p1.jpg", "library/orrowan-t8.json", MANIFEST, SEAL]
)
def test_an_altered_member_is_named_even_in_a_sound_zip(name):
    held = members(sealed())
    held[name] = held[name][:-2] + bytes([held[name][-2] ^ 1]) + held[name][-1:]
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as file:
        for n, data in held.items():
            file.writestr(n, data)
    told = verify(out.getvalue())
    assert told.verdict == "altered" and any(name in p or (name == SEAL and MANIFEST in p) for p in told.problems)


def test_added_missing_and_twice():
    held = members(sealed())
    for change, words in (("add", "added"), ("drop", "missing"), ("twice", "twice")):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w") as file:
            for n, data in held.items():
                if not (change == "drop" and n == "log.csv"):
                    file.writestr(n, data)
            if change == "add":
                file.writestr("extra.txt", b"x")
            if change == "twice":
                with pytest.warns(UserWarning, match="Duplicate"):
                    file.writestr("job.json", held["job.json"])
        told = verify(out.getvalue())
        assert told.verdict == "altered" and any(words in p for p in told.problems), change


def test_a_wrong_key_is_told_from_altered(tmp_path, capsys):
    """Somebody seals a changed job anew with a key of their own: sound in itself, and not the crew's."""
    forged = handover(job_of(SKERRY), LIBRARY, stream()[:-1], OTHER, "Harbour crew", 7, draft=True)
    assert verify(forged).verdict == "unaltered"
    told = verify(forged, PRINT)
    assert told.verdict == "other-key" and told.fingerprint == fingerprint(public_bytes(OTHER))
    path = tmp_path / "f.zip"
    path.write_bytes(forged)
    assert cli.main(["verify", str(path), "--key", PRINT]) == 3
    assert "another key" in capsys.readouterr().out
    for junk in (b"", b"PK\x03\x04", b"x" * 100):
        assert verify(junk).verdict == "unreadable"


def test_a_run_with_a_change_not_put_back_cannot_be_sealed():
    with pytest.raises(DocumentError, match="put back"):
        handover(job_of(SKERRY), LIBRARY, [*stream(), FORCED], KEY)
    back = event("u", "restored", at(7), step="proof:transfer", shown="20", verdict="pass")
    assert handover(job_of(SKERRY), LIBRARY, [*stream(), FORCED, back], KEY)
    failed = [e for e in stream() if e["kind"] != "override"]
    with pytest.raises(DocumentError, match="failed"):
        handover(job_of(SKERRY), LIBRARY, failed, KEY)


@pytest.mark.parametrize(("paper", "points"), size([("Letter", (612, 792))], [("A4", (595, 842)), ("Letter", (612, 792))]))
def test_pages(paper, points):
    made = members(
        handover(
            job_of(SKERRY), LIBRARY, stream(), KEY, "Harbour <crew>", photos={"p1": kept(picture((640, 480))).data}, paper=paper
        )
    )
    document = pypdfium2.PdfDocument(made["handover.pdf"])
    assert tuple(round(x) for x in document[0].get_size()) == points
    text = [page.get_textpage().get_text_range() for page in document]
    assert "Skerry Field Station" in text[0] and "Harbour <crew>" in text[0] and "Ada Reed" in text[0] and PRINT[:14] in text[0]
    assert "For the owner" in text[1] and "Open points" in text[1] and "second meter says 0" in text[1]
    whole = " ".join(text)
    for words in ("Thresholds as left", "in one line", "Settings as left", "overridden", "F12", "unaltered", "Warranty"):
        assert words in whole, words
    assert len(document) < 20


def test_crew_key_is_made_once_for_its_owner_alone(tmp_path):
    path = tmp_path / "keys" / "crew.pem"
    first = public_bytes(crew_key(path))
    assert public_bytes(crew_key(path)) == first
    assert stat.S_IMODE(path.stat().st_mode) == 0o600
    assert [p.name for p in path.parent.iterdir()] == ["crew.pem"], "nothing is left beside it"
    path.write_bytes(b"no key")
    with pytest.raises(ValueError):
        crew_key(path)


def test_handover_on_the_command_line(tmp_path, capsys):
    events, out, photos = tmp_path / "e.jsonl", tmp_path / "h.zip", tmp_path / "photos"
    events.write_text("\n".join(json.dumps(e) for e in stream()))
    photos.mkdir()
    (photos / "p1.png").write_bytes(picture(form="PNG"))
    args = [
        "handover",
        str(DEMO / f"{SKERRY}.json"),
        "--events",
        str(events),
        "--out",
        str(out),
        "--key",
        str(tmp_path / "k.pem"),
        "--photos",
        str(photos),
    ]
    assert cli.main(args) == 0
    assert verify(out.read_bytes()).verdict == "unaltered" and "photos/p1.jpg" in members(out.read_bytes())
    events.write_text("\n".join(json.dumps(e) for e in [*stream(), FORCED]))
    assert cli.main(args) == 2
    assert "put back" in capsys.readouterr().err
    assert cli.main([*args[:-1], str(tmp_path / "none")]) == 2
    (tmp_path / "k.pem").write_text("no key")
    assert cli.main(args) == 2


def test_photographs_lose_what_the_camera_adds_and_are_turned_upright():
    exif = Image.Exif()
    exif[0x0112] = 6  # lies on its side
    exif[0x9286] = "a comment"
    exif.get_ifd(0x8825)[2] = (51.0, 30.0, 0.0)  # where it was taken
    raw = picture((80, 40), exif=exif)
    assert b"Exif" in raw
    made = kept(raw)
    assert (made.width, made.height) == (40, 80) and b"Exif" not in made.data
    with Image.open(io.BytesIO(made.data)) as seen:
        assert not seen.getexif() and "comment" not in seen.info and seen.format == "JPEG"
    big = kept(picture((5000, 100)))
    assert big.width == LONG_SIDE
    for form in ("PNG", "WEBP"):
        assert kept(picture(form=form)).width == 64
    assert kept(raw).sha256 == kept(raw).sha256


@pytest.mark.parametrize(
    "data", [b"", b"GIF89a" + b"x" * 50, b"not a picture", picture(form="GIF"), picture()[:200], b"\xff" * (MAX_BYTES + 1)]
)
def test_what_is_no_photograph_is_refused(data):
    with pytest.raises(DocumentError):
        kept(data)


def test_a_small_file_that_unfolds_to_a_huge_picture_is_refused():
    out = io.BytesIO()
    Image.new("1", (9000, 9000)).save(out, "PNG")
    assert len(out.getvalue()) < 50_000
    with pytest.raises(DocumentError, match="pixels"):
        kept(out.getvalue())
